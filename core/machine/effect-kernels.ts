import type { PixelPass } from '../render/index.js';

/** Names of the player's functions for effects, as the rig measures them. */
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
