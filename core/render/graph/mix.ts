import type { TransitionKind } from '../../timeline/index.js';

/** Transition from a layer to the one above it. */
export interface Mix {
  readonly kind: TransitionKind;
  /** Timeline frames [from, to) of the transition. */
  readonly from: number;
  readonly to: number;
  /** Colour of a dip, as #rrggbb. */
  readonly colour: string;
}

/**
 * Share of the incoming picture in a frame, above 0 and below 1: the frames of a transition stand at equal distances
 * between the clips before and behind it.
 */
export const mixShare = ({ from, to }: Pick<Mix, 'from' | 'to'>, frame: number): number =>
  (frame - from + 1) / (to - from + 1);

/** Luma, blue and red difference as 8-bit video codes, limited range. */
export type VideoColour = readonly [luma: number, blue: number, red: number];

/** Luma and colour differences, 8-bit limited range, of a colour given as #rrggbb. Recommendation ITU-R BT.709. */
export function videoColour(colour: string): VideoColour {
  const [r, g, b] = [1, 3, 5].map((at) => parseInt(colour.slice(at, at + 2), 16) / 255) as [
    number,
    number,
    number,
  ];
  const luma = 0.2126 * r + 0.7152 * g + 0.0722 * b;
  return [
    Math.round(16 + 219 * luma),
    Math.round(128 + (224 * (b - luma)) / 1.8556),
    Math.round(128 + (224 * (r - luma)) / 1.5748),
  ];
}
