import type { FrameSize } from '../../timeline/index.js';
import type { EffectKind } from './catalogue.js';
import { numberAt, type KnownEffect } from './values.js';

/** Passes over the pixels of a picture, in order. Lengths are in pixels of that picture. */
export type PixelPass =
  /** Colour effects that follow each other. */
  | { readonly kind: 'colour'; readonly effects: readonly KnownEffect[] }
  | { readonly kind: 'blur'; readonly deviation: number }
  | { readonly kind: 'sharpen'; readonly deviation: number; readonly amount: number }
  | { readonly kind: 'vignette'; readonly loss: number }
  | { readonly kind: 'grain'; readonly deviation: number; readonly cell: number }
  | { readonly kind: 'title'; readonly effect: KnownEffect };

const STEP_KINDS = ['blur', 'sharpen', 'vignette', 'grain', 'title'] as const;

const COLOUR_KINDS: readonly EffectKind[] = ['exposure', 'contrast', 'saturation', 'whiteBalance', 'table'];

/** The kind of step that an effect is a part of; null for one that is no step. */
export function passKindOf(kind: EffectKind): PixelPass['kind'] | null {
  if (COLOUR_KINDS.includes(kind)) return 'colour';
  return STEP_KINDS.find((each) => each === kind) ?? null;
}

/** A blur of fewer pixels changes nothing that 8 bits could hold. */
const LEAST_DEVIATION = 0.12;

/**
 * The steps that a picture of a size goes through. Masks and transforms are no steps, since they say where a picture is
 * seen; temporal noise reduction is none either, since it needs the frames beside it.
 */
export function pixelPasses(effects: readonly KnownEffect[], raster: FrameSize): readonly PixelPass[] {
  const steps: PixelPass[] = [];
  for (const effect of effects) {
    const before = steps.at(-1);
    if (COLOUR_KINDS.includes(effect.kind)) {
      if (before?.kind === 'colour')
        steps[steps.length - 1] = { kind: 'colour', effects: [...before.effects, effect] };
      else steps.push({ kind: 'colour', effects: [effect] });
      continue;
    }
    const step = stepOf(effect, raster);
    if (step) steps.push(step);
  }
  return steps;
}

function stepOf(effect: KnownEffect, { height }: FrameSize): PixelPass | undefined {
  const percent = (name: string): number => numberAt(effect, name) / 100;
  switch (effect.kind) {
    case 'blur': {
      const deviation = percent('radius') * height;
      return deviation < LEAST_DEVIATION ? undefined : { kind: 'blur', deviation };
    }
    case 'sharpen': {
      const deviation = percent('radius') * height;
      const amount = percent('amount');
      return deviation < LEAST_DEVIATION || amount === 0 ? undefined : { kind: 'sharpen', deviation, amount };
    }
    case 'vignette': {
      const loss = numberAt(effect, 'stops');
      return loss === 0 ? undefined : { kind: 'vignette', loss };
    }
    case 'grain': {
      const cell = percent('size') * height;
      // Grains smaller than a pixel are averaged by it: the deviation of a mean falls with the root of their number.
      const deviation = numberAt(effect, 'deviation') * Math.min(1, cell);
      return deviation === 0 ? undefined : { kind: 'grain', deviation, cell: Math.max(1, cell) };
    }
    case 'title':
      return { kind: 'title', effect };
    default:
      return undefined;
  }
}

/**
 * Share of a picture's coded values that a lens leaves at a distance from the middle. Light falls with the fourth power
 * of the cosine of the angle (the cosine-fourth law of photography): (1 + k² r²)⁻², and k² is such that the corners lose
 * `loss` stops. Coded values follow light by BT.709's exponent of 0.45.
 * @param distance 0 in the middle, 1 in the corners
 */
export const vignetteGain = (loss: number, distance: number): number =>
  (1 + vignetteBend(loss) * distance ** 2) ** -VIGNETTE_POWER;

export const VIGNETTE_POWER = 0.9;

export const vignetteBend = (loss: number): number => 2 ** (loss / 2) - 1;

/** Ratio of the deviation of noise on a grid to that of its interpolation, as the mean over the area. */
export const INTERPOLATED_DEVIATION = 2 / 3;
