import type { EffectKind } from '@hone/core/render';
import type { Ease } from '@hone/core/timeline';

/** Names of the interpolations between keyframes. */
export const EASE_NAMES: Readonly<Record<Ease, string>> = {
  linear: 'Linear',
  smooth: 'Ease in and out',
  hold: 'Hold',
};

/** Hints about effects before their use. */
export const KIND_HINTS: Readonly<Partial<Record<EffectKind, string>>> = {
  denoise: 'Too heavy for the preview, which leaves it out; the export has it.',
  blur: 'Costs the same at any radius; its cost falls with the preview scale.',
  table: 'All colour effects in a row cost as much as one.',
};
