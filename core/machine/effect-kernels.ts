import type { PixelPass } from '../render/index.js';

/** What the rig measures of effects: a name for each of the player's functions that they are done with. */
export const EFFECT_KERNELS = ['colour table', 'blur', 'sharpen', 'cover', 'grain', 'mask', 'turn'] as const;

export type EffectKernel = (typeof EFFECT_KERNELS)[number];

const KERNEL_OF_STEP: Readonly<Record<PixelPass['kind'], EffectKernel>> = {
  colour: 'colour table',
  blur: 'blur',
  sharpen: 'sharpen',
  vignette: 'cover',
  title: 'cover',
  grain: 'grain',
};

/** The function that does a step of a picture's effects in the preview. */
export const stepKernel = (kind: PixelPass['kind']): EffectKernel => KERNEL_OF_STEP[kind];
