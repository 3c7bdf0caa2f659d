import type { PreviewScale } from '@hone/core/levers';
import { SIMULATED_DRIVES } from '@hone/core/machine';
import { rational, type Rational } from '@hone/core/time';
import { timelineLength, type Effect, type FrameSize, type Timeline, type Track } from '@hone/core/timeline';
import { randomInt, randomUniform } from 'd3-random';
import { effect, pictureTrack, type Cut } from './case-tracks.js';
import type { PredictCase } from './predict-cases.js';
import { pick, type Random } from './random-sources.js';

/** A source of random cases. */
export interface CaseSource {
  readonly id: string;
  readonly name: string;
  readonly seconds: number;
  readonly hasCopy: boolean;
}

const KINDS = [
  'whole',
  'long cuts',
  'short cuts',
  'crossfades',
  'layers',
  'speeds',
  'backwards',
  'effects',
  'copies',
  'drive',
  'bypass by clip',
  'render cache',
  'automatic scale',
] as const;

const RATES: readonly Rational[] = [rational(24), rational(24), rational(25), rational(30)];
const SCALES: readonly PreviewScale[] = [1, 2, 4, 4, 4, 8];
const FRAMES = 110;

/**
 * Timelines by chance over sources, each kind of them in turn.
 */
export function randomCases(
  sources: readonly CaseSource[],
  count: number,
  random: Random,
  size: FrameSize,
): PredictCase[] {
  return Array.from({ length: count }, (_, number) => {
    const kind = KINDS[number % KINDS.length]!;
    const rate = pick(random, RATES);
    const scale = pick(random, SCALES);
    const lightCopies = kind === 'copies';
    const among = lightCopies ? sources.filter(({ hasCopy }) => hasCopy) : sources;
    const build = { kind, random, rate, sources: among.length ? among : sources, number };
    const timeline: Timeline = { rate, startFrame: 0, size, tracks: tracksOf(build) };
    return {
      name: `random ${number}: ${kind} at 1:${scale}, ${namesIn(timeline, sources)}`,
      timeline,
      playScale: scale,
      lightCopies,
      ...leversOf(kind, timeline, random),
    };
  });
}

/** What else is moved for a kind of case. */
function leversOf(
  kind: (typeof KINDS)[number],
  timeline: Timeline,
  random: Random,
): Pick<PredictCase, 'driveId' | 'bypassedClips' | 'rendered' | 'autoScale'> {
  switch (kind) {
    case 'drive':
      return { driveId: pick(random, SIMULATED_DRIVES).id };
    case 'bypass by clip': {
      const ids = timeline.tracks.flatMap(({ clips }) => clips.map(({ id }) => id));
      return { bypassedClips: ids.filter((_, at) => at === 0 || random() < 0.5) };
    }
    case 'render cache': {
      const length = timelineLength(timeline);
      const from = Math.floor((random() * length) / 2);
      return { rendered: { from, to: from + Math.ceil(length / 2) } };
    }
    case 'automatic scale':
      return { autoScale: true };
    default:
      return {};
  }
}

const namesIn = ({ tracks }: Timeline, sources: readonly CaseSource[]): string => {
  const ids = new Set(tracks.flatMap(({ clips }) => clips.map(({ sourceId }) => sourceId)));
  return sources
    .filter(({ id }) => ids.has(id))
    .map(({ name }) => name)
    .join(' + ');
};

interface Build {
  readonly kind: (typeof KINDS)[number];
  readonly random: Random;
  readonly rate: Rational;
  readonly sources: readonly CaseSource[];
  readonly number: number;
}

function tracksOf(build: Build): Track[] {
  const { kind, random } = build;
  switch (kind) {
    case 'layers': {
      const count = randomInt.source(random)(2, 4)();
      return Array.from({ length: count }, (_, at) =>
        row(build, `p${at}`, lengths(build, FRAMES, FRAMES), at ? { effects: [smaller(random)] } : {}),
      );
    }
    case 'short cuts':
      return [row(build, 'p', lengths(build, 5, 20))];
    case 'crossfades':
      return [row(build, 'p', lengths(build, 36, 60), { fade: randomInt.source(random)(4, 13)() })];
    case 'speeds':
      return [
        row(build, 'p', lengths(build, 50, 80), { speed: pick(random, [rational(1, 2), rational(3, 2)]) }),
      ];
    case 'backwards':
      return [row(build, 'p', lengths(build, 50, 90), { speed: rational(-1) })];
    case 'effects':
    case 'bypass by clip':
    case 'render cache':
      return [row(build, 'p', lengths(build, 60, FRAMES), { effects: someEffects(random) })];
    case 'whole':
    case 'drive':
      return [row(build, 'p', [85])];
    default:
      return [row(build, 'p', lengths(build, 36, 80))];
  }
}

function lengths({ random }: Build, least: number, most: number): number[] {
  const made: number[] = [];
  let left = FRAMES;
  while (left > 0) {
    const next = Math.min(left, randomInt.source(random)(least, most + 1)());
    made.push(next);
    left -= next;
  }
  return made;
}

function row(
  { random, rate, sources }: Build,
  id: string,
  frames: readonly number[],
  { fade = 0, speed, effects }: { fade?: number; speed?: Rational; effects?: readonly Effect[] } = {},
): Track {
  const perSecond = rate.num / rate.den;
  const pace = speed ? speed.num / speed.den : 1;
  const cuts = frames.map((wanted): Cut => {
    const { id: sourceId, name, seconds } = pick(random, sources);
    // With room before and behind for transitions, and never beyond the ends of the source.
    const room = (2 * fade) / perSecond + 0.1;
    const most = Math.floor(((seconds - room - 0.2) * perSecond) / Math.abs(pace));
    const length = Math.min(wanted, most);
    const used = (length / perSecond) * Math.abs(pace);
    const last = Math.max(room / 2, seconds - used - room / 2 - 0.1);
    const first = randomUniform.source(random)(room / 2, last)();
    return { name, sourceId, second: pace < 0 ? first + used : first, frames: length, speed, effects };
  });
  return pictureTrack(id, cuts, fade);
}

const smaller = (random: Random): Effect =>
  effect('transform', random() < 0.5 ? { scale: 50, across: 20 } : { opacity: 60 });

function someEffects(random: Random): Effect[] {
  const all = [
    effect('exposure', { stops: 0.4 }),
    effect('blur', { radius: 0.6 }),
    effect('sharpen'),
    effect('vignette'),
    effect('grain'),
    effect('transform', { rotation: 5 }),
  ];
  return all.filter(() => random() < 0.5);
}
