import type { EffectKind } from '../render/index.js';

/** What the rig measures of effects: a name for each of the player's functions that they are done with. */
export const EFFECT_KERNELS = ['colour table', 'blur', 'sharpen', 'cover', 'grain', 'mask', 'turn'] as const;

export type EffectKernel = (typeof EFFECT_KERNELS)[number];

const KERNEL_OF: Readonly<Record<EffectKind, EffectKernel | null>> = {
  transform: 'turn',
  mask: 'mask',
  exposure: 'colour table',
  contrast: 'colour table',
  saturation: 'colour table',
  whiteBalance: 'colour table',
  table: 'colour table',
  blur: 'blur',
  sharpen: 'sharpen',
  vignette: 'cover',
  grain: 'grain',
  title: 'cover',
  // The preview leaves it out.
  denoise: null,
};

/** The function that does an effect in the preview; null when the preview leaves it out. */
export const effectKernel = (kind: EffectKind): EffectKernel | null => KERNEL_OF[kind];
