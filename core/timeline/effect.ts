/** Interpolation between two keyframes. */
export const EASES = ['linear', 'smooth', 'hold'] as const;

export type Ease = (typeof EASES)[number];

/** A value at a frame. Frames count from the first frame of the clip; trimming can leave them before it. */
export interface Keyframe {
  readonly frame: number;
  readonly value: number;
  /** The way to the next keyframe. */
  readonly ease: Ease;
}

export type EffectValue = number | string | boolean;

/** An effect on the picture of a clip. Its kind defines its values (core/render/effects). */
export interface Effect {
  readonly id: string;
  readonly kind: string;
  readonly enabled: boolean;
  /** By parameter; one that is absent has its usual value. */
  readonly values: Readonly<Record<string, EffectValue>>;
  /** By parameter, sorted by frame; they come before `values`. */
  readonly keyframes?: Readonly<Record<string, readonly Keyframe[]>> | undefined;
}

/** Value of a list of keyframes at a frame; constant before the first and after the last. */
export function valueAt(keyframes: readonly Keyframe[], frame: number): number {
  const next = keyframes.findIndex((each) => each.frame > frame);
  if (next === 0) return keyframes[0]!.value;
  const before = keyframes.at(next === -1 ? -1 : next - 1)!;
  const after = keyframes[next];
  if (!after || before.ease === 'hold') return before.value;
  const share = (frame - before.frame) / (after.frame - before.frame);
  return before.value + (after.value - before.value) * (before.ease === 'smooth' ? eased(share) : share);
}

/** Slow at both ends: 3 s² − 2 s³, the cubic of Hermite with no slope at its ends. */
const eased = (share: number): number => share * share * (3 - 2 * share);

/** Effects of a clip whose first frame moves by `by` frames: keyframes keep their time. */
export function laterStart(effects: readonly Effect[], by: number): readonly Effect[] {
  return by === 0
    ? effects
    : effects.map((effect) =>
        effect.keyframes
          ? {
              ...effect,
              keyframes: Object.fromEntries(
                Object.entries(effect.keyframes).map(([parameter, row]) => [
                  parameter,
                  row.map((each) => ({ ...each, frame: each.frame - by })),
                ]),
              ),
            }
          : effect,
      );
}
