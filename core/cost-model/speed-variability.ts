import { mean, median, sum } from 'd3-array';
import type { DecodeSegment } from './workload.js';
import type { FrameLog } from '../playback/index.js';
import type { Rig } from '../machine/index.js';

/** Correlation time of the CPU-speed process: after this long, speed is nearly independent of what it was, ms. */
export const SPEED_CORRELATION_MS = 1000;

/** Variation of a machine's speed from one second to the next, as its runs have shown. */
export interface SpeedVariability {
  /** Variance of the natural logarithm of decode times, in means of a second. */
  readonly variance: number;
  /** Number of seconds it is taken from. */
  readonly seconds: number;
  /** Mean square of what a run as a whole was off by, as a logarithm, and of how many runs that was taken. */
  readonly ofRuns: number;
  readonly runs: number;
}

/** Before any run, and how many seconds and runs that is worth. */
const BEFORE: SpeedVariability = { variance: 0.08 ** 2, seconds: 10, ofRuns: 0.08 ** 2, runs: 4 };
/** So many are remembered. */
const MOST_SECONDS = 120;
const MOST_RUNS = 30;
/** Fewer pictures in a second, or seconds in a run, say too little. */
const FEWEST_PICTURES = 8;
const FEWEST_SECONDS = 4;
/** Least share of a second's time in decoding for that second to measure the speed of the cores. */
const LEAST_SHARE = 0.25;
/** A second that is off by more was a jump, or a stall of another kind. */
const MOST_LOG = 0.7;
/** Share of a tempo's variance that is left in means of a second (variance of a time average of such a process). */
const OF_MEANS = meanShare(1000 / SPEED_CORRELATION_MS);

function meanShare(spans: number): number {
  return (2 / spans ** 2) * (spans - 1 + Math.exp(-spans));
}

/** Standard deviation of the logarithm of a machine's tempo; 0 where nothing was learned. */
export const speedVariabilityOf = (known: SpeedVariability | undefined): number =>
  known ? Math.sqrt(known.variance / OF_MEANS) : 0;

/**
 * How unsteady a machine must be taken to be: as runs have shown it; before any, one that was measured as such machines
 * are, and one whose figures are given as steady as they are.
 */
export const assumedVariability = (
  known: SpeedVariability | undefined,
  { thoroughness }: Pick<Rig, 'thoroughness'>,
): SpeedVariability | undefined => known ?? (thoroughness === 'given' ? undefined : BEFORE);

/**
 * Takes in a run: in each second, how much longer than predicted its pictures took to decode, against the run's mean.
 * Seconds that are not in the midst of one clip do not count: what a cut takes is not what the cores are to blame for.
 * @param predicted of a steady machine
 * @param tells whether it shows what runs are off by: where others have taught what its kinds of coding cost, and it is not the same run once more
 */
export function updateVariability(
  before: SpeedVariability | undefined,
  measured: FrameLog,
  predicted: FrameLog,
  segments: readonly Pick<DecodeSegment, 'from' | 'to'>[],
  tells: boolean,
): SpeedVariability | undefined {
  const { firstFrame, length } = measured;
  const span = measured.get(firstFrame + length - 1, 'due') - measured.get(firstFrame, 'due');
  const second = Math.round((1000 * (length - 1)) / span);
  if (!(second > 0)) return before;
  const logs: number[] = [];
  for (let from = firstFrame; from + second <= firstFrame + length; from += second) {
    const here = segments.filter((each) => each.from < from + second && each.to > from);
    if (here.length !== 1 || here[0]!.from > from - second || here[0]!.to < from + second) continue;
    if (!predicted.has(from) || !predicted.has(from + second - 1)) continue;
    const [real, said] = [measured, predicted].map((log) => decodedIn(log, from, from + second));
    if (real!.pictures < FEWEST_PICTURES || said!.pictures < FEWEST_PICTURES) continue;
    if (!(real!.ms > 0) || said!.ms < LEAST_SHARE * 1000) continue;
    logs.push(Math.log(real!.ms / real!.pictures / (said!.ms / said!.pictures)));
  }
  const middle = median(logs) ?? 0;
  const counted = logs.filter((log) => Math.abs(log - middle) <= MOST_LOG);
  if (counted.length < FEWEST_SECONDS) return before;
  const ofRun = mean(counted)!;
  const squares = sum(counted, (log) => (log - ofRun) ** 2);
  const { variance, seconds, ofRuns, runs } = before ?? BEFORE;
  const all = seconds + counted.length - 1;
  return {
    variance: (seconds * variance + squares) / all,
    seconds: Math.min(MOST_SECONDS, all),
    ...(tells
      ? { ofRuns: (runs * ofRuns + ofRun ** 2) / (runs + 1), runs: Math.min(MOST_RUNS, runs + 1) }
      : { ofRuns, runs }),
  };
}

function decodedIn(
  log: FrameLog,
  from: number,
  to: number,
): { readonly ms: number; readonly pictures: number } {
  let ms = 0;
  let pictures = 0;
  for (let frame = from; frame < to; frame++) {
    ms += log.get(frame, 'decode');
    pictures += log.get(frame, 'decoded');
  }
  return { ms, pictures };
}
