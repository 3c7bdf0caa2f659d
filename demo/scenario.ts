import { rational, timeOfFrame, type Rational } from '@hone/core/time';
import type { Clip, Timeline, Track } from '@hone/core/timeline';

/** A cut: which shot, from which second of it, for how many frames of the timeline. */
type Cut = readonly [shot: string, second: number, frames: number];

export const RATE = rational(24);

export const MILL = 'Main camera - mill at dusk.mp4';
export const PIT = 'Wheel pit - paddles.mp4';
export const DRONE = 'Drone - upstream.mp4';
export const WORKSHOP = 'Second camera - workshop.mp4';
export const TABLE = 'Screen - tide table.mp4';
export const PHONE = 'Phone - sluice.mp4';
export const VOICE = 'Voice guide.m4a';
export const LAPPING = 'Lapping at the sill.m4a';

/** File names of the pictures that the demo is cut from. */
export const DEMO_SHOTS = {
  mill: MILL,
  pit: PIT,
  drone: DRONE,
  workshop: WORKSHOP,
  table: TABLE,
  phone: PHONE,
} as const;

/** "Slack Water, short": the timeline of the benchmark `tuned`. It stays as it is. */
export const SLACK_WATER_SHORT: readonly Cut[] = [
  [MILL, 0, 72],
  [PIT, 0.5, 48],
  [DRONE, 1, 60],
  [MILL, 5.25, 48],
  [WORKSHOP, 2, 48],
  [PIT, 2.25, 60],
  [MILL, 8.5, 48],
  [DRONE, 3.5, 48],
];

/**
 * Lays the cuts one after the other, with the camera's sound beneath and the voice guide under that.
 * @param idOf identifier of the source of a shot
 */
export function timelineOf(cuts: readonly Cut[], idOf: (shot: string) => string): Timeline {
  let start = 0;
  const picture: Clip[] = cuts.map(([shot, second, length], index) => {
    const clip = clipOf(`cut-${index}`, shot, idOf, start, length, rational(Math.round(second * 1000), 1000));
    start += length;
    return clip;
  });
  const water: Clip[] = [];
  for (let at = 0, index = 0; at < start; at += 11 * 24, index++) {
    water.push(clipOf(`water-${index}`, MILL, idOf, at, Math.min(11 * 24, start - at), timeOfFrame(0, RATE)));
  }
  const spoken = clipOf('voice', VOICE, idOf, 24, Math.min(38 * 24, start - 24), timeOfFrame(0, RATE));
  const track = (id: string, kind: Track['kind'], name: string, clips: Clip[]): Track => ({
    id,
    kind,
    name,
    enabled: true,
    clips,
  });
  return {
    rate: RATE,
    startFrame: 24 * 3600,
    size: { width: 3840, height: 2160 },
    tracks: [
      track('p1', 'picture', 'Picture', picture),
      track('s1', 'sound', 'Water', water),
      track('s2', 'sound', 'Voice guide', [spoken]),
    ],
  };
}

export function clipOf(
  id: string,
  shot: string,
  idOf: (shot: string) => string,
  start: number,
  length: number,
  sourceIn: Rational,
): Clip {
  return {
    id,
    name: shot.replace(/\.\w+$/, ''),
    sourceId: idOf(shot),
    start,
    length,
    sourceIn,
    enabled: true,
  };
}
