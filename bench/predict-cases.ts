import { DEMO_SHOTS } from '@hone/demo';
import type { CopyDivisor } from '@hone/core/media';
import type { PreviewScale } from '@hone/core/levers';
import { rational, type Rational } from '@hone/core/time';
import type { Effect, FrameRange, Timeline, Track } from '@hone/core/timeline';
import { effect, pictureTrack, UHD } from './case-tracks.js';

/** A timeline that is played for real, and how. */
export interface PredictCase {
  readonly name: string;
  readonly timeline: Timeline;
  readonly playScale: PreviewScale;
  readonly lightCopies: boolean;
  /** A simulated drive that everything comes through. */
  readonly driveId?: string;
  /** Clips whose effects are left out. */
  readonly bypassedClips?: readonly string[];
  /** Frames that are rendered in advance. */
  readonly rendered?: FrameRange;
  /** Whether the preview scale is the sharpest that is predicted to play, from `playScale` on. */
  readonly autoScale?: boolean;
}

/** Copies that the cases are played from. */
export const CASE_COPIES: readonly (readonly [shot: string, divisor: CopyDivisor])[] = [
  [DEMO_SHOTS.mill, 4],
  [DEMO_SHOTS.pit, 4],
  [DEMO_SHOTS.drone, 2],
  [DEMO_SHOTS.workshop, 2],
];

const { mill, pit, drone, workshop, table } = DEMO_SHOTS;
const R24 = rational(24);
const R60 = rational(60_000, 1001);

type IdOf = (shot: string) => string;
/** Which shot, from which second of it, for how many frames. */
type Shot = readonly [shot: string, second: number, frames: number, effects?: readonly Effect[]];

const row = (id: string, cuts: readonly Shot[], idOf: IdOf, fade = 0): Track =>
  pictureTrack(
    id,
    cuts.map(([name, second, frames, effects]) => ({ name, sourceId: idOf(name), second, frames, effects })),
    fade,
  );

const timelineOf = (tracks: readonly Track[], rate: Rational = R24, size = UHD): Timeline => ({
  rate,
  startFrame: 0,
  size,
  tracks,
});

/** Played for practice before anything is predicted: each stage is heavy in one of them. */
export const practice = (idOf: IdOf): PredictCase[] => [
  {
    name: 'one camera',
    timeline: timelineOf([row('p', [[mill, 1, 120]], idOf)]),
    playScale: 8,
    lightCopies: false,
  },
  {
    name: 'copies with effects',
    timeline: timelineOf([
      row('p', [[workshop, 1, 120, [effect('exposure', { stops: 0.3 }), effect('grain')]]], idOf),
    ]),
    playScale: 4,
    lightCopies: true,
  },
  {
    name: 'one camera, large',
    timeline: timelineOf([row('p', [[workshop, 0, 96]], idOf)]),
    playScale: 2,
    lightCopies: false,
  },
];

/** Timelines that differ in what holds them back, if anything does. */
export function predictCases(idOf: IdOf): PredictCase[] {
  const one = (cuts: readonly Shot[], rate = R24, fade = 0): Timeline =>
    timelineOf([row('p', cuts, idOf, fade)], rate);
  // Long enough that a group of pictures more or less does not decide, and never beyond the end of a source.
  const twice = (cuts: readonly Shot[]): readonly Shot[] => [...cuts, ...cuts];
  const long = twice([
    [mill, 2, 60],
    [pit, 1, 48],
    [mill, 7, 60],
    [drone, 1, 48],
  ]);
  const quick = Array.from({ length: 24 }, (_, at): Shot => [at % 2 ? pit : mill, 1 + (at % 3), 18]);
  const rapids = [...twice([[pit, 0, 112]]), [pit, 0, 112]] as const;
  const take = (at: number): Track => row(`take${at}`, [[at % 2 ? mill : pit, 1 + at * 0.5, 192]], idOf);
  return [
    { name: 'long-GOP camera at 1:4', timeline: one([[mill, 0, 280]]), playScale: 4, lightCopies: false },
    { name: 'the same at 1:1', timeline: one([[mill, 0, 280]]), playScale: 1, lightCopies: false },
    { name: '60 on 24', timeline: one(rapids), playScale: 4, lightCopies: false },
    { name: '60 on 24 at 1:16', timeline: one(rapids), playScale: 16, lightCopies: false },
    { name: 'cuts between cameras', timeline: one(long), playScale: 4, lightCopies: false },
    { name: 'cuts between cameras, copies', timeline: one(long), playScale: 4, lightCopies: true },
    { name: 'quick cuts over long groups', timeline: one(quick), playScale: 4, lightCopies: false },
    { name: 'crossfades over long groups', timeline: one(quick, R24, 6), playScale: 4, lightCopies: false },
    { name: 'crossfades, copies', timeline: one(quick, R24, 6), playScale: 4, lightCopies: true },
    { name: 'second camera at 1:2', timeline: one([[workshop, 0, 210]]), playScale: 2, lightCopies: false },
    { name: '60 on 60, copies', timeline: one([[drone, 0, 360]], R60), playScale: 4, lightCopies: true },
    {
      name: 'three effects at 1:2, copies',
      timeline: one([
        [
          ...([mill, 1, 240] as const),
          [effect('exposure', { stops: 0.4 }), effect('blur', { radius: 0.6 }), effect('sharpen')],
        ],
      ]),
      playScale: 2,
      lightCopies: true,
    },
    {
      name: 'two effects at 1:4, copies',
      timeline: one(
        twice([[...([pit, 0, 112] as const), [effect('blur', { radius: 0.4 }), effect('grain')]]]),
      ),
      playScale: 4,
      lightCopies: true,
    },
    {
      name: 'stack of takes, one seen',
      timeline: timelineOf(Array.from({ length: 7 }, (_, at) => take(at))),
      playScale: 4,
      lightCopies: true,
    },
    {
      name: 'two pictures laid over each other, copies',
      timeline: timelineOf([
        row('low', [[mill, 1, 168]], idOf),
        row('high', [[workshop, 1, 168, [effect('transform', { opacity: 50 })]]], idOf),
      ]),
      playScale: 4,
      lightCopies: true,
    },
    {
      name: 'two cameras laid over each other',
      timeline: timelineOf([
        row('low', twice([[mill, 1, 132]]), idOf),
        row('high', twice([[drone, 0, 132, [effect('transform', { opacity: 50 })]]]), idOf),
      ]),
      playScale: 4,
      lightCopies: false,
    },
    {
      name: 'two effects at 1:1',
      timeline: one([
        [...([workshop, 0, 210] as const), [effect('exposure', { stops: 0.4 }), effect('sharpen')]],
      ]),
      playScale: 1,
      lightCopies: false,
    },
    { name: 'screen recording', timeline: one([[table, 0, 168]]), playScale: 4, lightCopies: false },
    {
      name: 'full drive on USB',
      timeline: one([[mill, 0, 280]]),
      playScale: 8,
      lightCopies: false,
      driveId: 'usb-rotating-full',
    },
    {
      name: 'full drive on USB, copies',
      timeline: one(long),
      playScale: 4,
      lightCopies: true,
      driveId: 'usb-rotating-full',
    },
  ];
}
