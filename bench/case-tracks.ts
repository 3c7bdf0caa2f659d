import { rational, type Rational } from '@hone/core/time';
import type { Clip, Effect, Track, Transition } from '@hone/core/timeline';

export const UHD = { width: 3840, height: 2160 };

/** A part of a source on a track. */
export interface Cut {
  readonly name: string;
  readonly sourceId: string;
  /** Where in the source it begins. */
  readonly second: number;
  readonly frames: number;
  readonly speed?: Rational | undefined;
  readonly effects?: readonly Effect[] | undefined;
}

/** A picture track of cuts that follow each other. @param fade frames of a crossfade on either side of each cut */
export function pictureTrack(id: string, cuts: readonly Cut[], fade = 0): Track {
  let start = 0;
  const transitions: Transition[] = [];
  const clips = cuts.map(({ name, sourceId, second, frames, speed, effects }, index): Clip => {
    const clip: Clip = {
      ...{ id: `${id}-${index}`, name, sourceId, start, length: frames, enabled: true },
      sourceIn: rational(Math.round(1000 * second), 1000),
      ...(speed ? { speed } : {}),
      ...(effects ? { effects } : {}),
    };
    if (fade && index)
      transitions.push({ id: `${id}-t${index}`, kind: 'crossfade', at: start, before: fade, after: fade });
    start += frames;
    return clip;
  });
  return { id, kind: 'picture', name: id, enabled: true, clips, transitions };
}

export const effect = (kind: string, values: Effect['values'] = {}): Effect => ({
  id: `e-${kind}`,
  kind,
  enabled: true,
  values,
});
