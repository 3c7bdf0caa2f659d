import { sum } from 'd3-array';
import {
  availableCores,
  coldDecodeMs,
  decodeMsOf,
  skippableDecodeMs,
  stageWork,
  type DecodeSegment,
  type Workload,
} from '@hone/core/cost-model';
import { frameBudgetMs } from '@hone/core/playback';
import { PREROLL_FRAMES, PREROLL_LIMIT_MS } from '@hone/core/pacing';

/** Shortest decode time of each frame, ms: after the frame before, and from its key frame. */
interface FrameTimes {
  readonly onwards: Float64Array;
  readonly cold: Float64Array;
}

/**
 * Upper bound of the frames that a player with perfect knowledge of all costs can show: the lower of two relaxations. The
 * bound by time decodes cuts at no cost; the bound by work spreads every decoder over all cores, with any lead.
 */
export const oracleFrames = (workload: Workload): number =>
  Math.min(framesInTime(workload), framesByWork(workload));

/**
 * Dynamic programming over frames and sets of decoded segments. A segment continues from the frame before, pauses, or
 * starts at its key frame. The state is the least work on all cores, which limits the frames that can be on time.
 */
function framesByWork(workload: Workload): number {
  const { from, to, segments } = workload;
  const budgetMs = frameBudgetMs(workload.rate);
  const cores = availableCores(workload);
  let before: Choices = new Map([['', new Float64Array(to - from + 1).fill(Infinity)]]);
  before.get('')![0] = 0;
  let most = 0;
  for (let frame = from; frame < to; frame++) {
    const active = segments.filter((each) => each.from <= frame && frame < each.to);
    const shownMs = workOfShowing(workload, active, frame);
    const isFree = frame - from <= PREROLL_FRAMES;
    const limitMs = cores * ((frame - from + 1) * budgetMs + PREROLL_LIMIT_MS);
    const now: Choices = new Map();
    for (const chosen of subsetsOf(active)) {
      const work = new Float64Array(to - from + 1).fill(Infinity);
      for (const [open, sofar] of before) {
        const [decodeMs, skippedMs] = isFree ? [0, 0] : workOfDecoding(chosen, open, frame);
        for (let shown = 0; shown <= frame - from; shown++) {
          work[shown] = Math.min(work[shown]!, sofar[shown]! + decodeMs - skippedMs);
          const ms = sofar[shown]! + decodeMs + (isFree ? 0 : shownMs);
          if (chosen.length < active.length || ms > limitMs) continue;
          work[shown + 1] = Math.min(work[shown + 1]!, ms);
          most = Math.max(most, shown + 1);
        }
      }
      now.set(keyOf(chosen), work);
    }
    before = now;
  }
  return most;
}

/** Least work, core-ms, by decoded segments and by number of frames shown. */
type Choices = Map<string, Float64Array>;

const keyOf = (segments: readonly DecodeSegment[]): string => segments.map(nameOf).join(' ');
const nameOf = ({ clipId, from }: DecodeSegment): string => `${clipId}@${from}`;

const subsetsOf = (segments: readonly DecodeSegment[]): DecodeSegment[][] =>
  segments.reduce<DecodeSegment[][]>((sets, each) => [...sets, ...sets.map((set) => [...set, each])], [[]]);

/** @returns core-ms of decoding some segments for a frame, and the part that frame skipping saves */
function workOfDecoding(
  chosen: readonly DecodeSegment[],
  open: string,
  frame: number,
): readonly [ms: number, skippedMs: number] {
  const names = open.split(' ');
  const goesOn = (segment: DecodeSegment): boolean => names.includes(nameOf(segment));
  return [
    sum(chosen, (each) => (goesOn(each) ? decodeMsOf(each, frame) : coldMs(each, frame)) * each.decodeCores),
    sum(chosen, (each) => (goesOn(each) ? skippableDecodeMs(each, frame) * each.decodeCores : 0)),
  ];
}

const workOfShowing = (workload: Workload, active: readonly DecodeSegment[], frame: number): number =>
  workload.composeMs[frame - workload.from]! +
  workload.showMs +
  workload.presentMs +
  sum(active, (each) => stageWork(each, 'scale', frame) * (each.scaleMs + each.effectsMs));

/**
 * Dynamic programming over frames. Decoding reaches a frame from the frame before, or from its key frame after any earlier
 * frame. A decoder works on one frame at a time, however many cores there are.
 */
function framesInTime(workload: Workload): number {
  const { from, to, slots } = workload;
  const budgetMs = frameBudgetMs(workload.rate);
  const frames = to - from;
  const [hidden, visible] = [frameTimesOf(workload, false), frameTimesOf(workload, true)];
  const layers = layersOf(workload);
  // Frames of the preroll are ready when the first is due.
  const ahead = layers.map((count) => Math.max(1, Math.floor(slots / Math.max(1, count))));
  const due = (frame: number): number => frame * budgetMs;
  /** Earliest time at which decoding is through with a frame after so many were shown; Infinity where that cannot be. */
  let before = new Float64Array(frames + 1).fill(Infinity);
  const reached: Float64Array[] = [];
  let most = 0;
  for (let frame = 0; frame < frames; frame++) {
    const now = new Float64Array(frames + 1).fill(Infinity);
    const isFree = frame <= PREROLL_FRAMES;
    const reachedAt = (shown: number, times: FrameTimes): number => {
      const onwards = frame === 0 ? 0 : before[shown]! + (isFree ? 0 : times.onwards[frame]!);
      return Math.min(onwards, isFree ? Infinity : leftAt(reached, frame, shown) + times.cold[frame]!);
    };
    for (let shown = 0; shown <= frame; shown++) {
      now[shown] = Math.min(now[shown]!, reachedAt(shown, hidden));
      const earliest = due(Math.max(0, frame - ahead[frame]!));
      const ready = isFree ? 0 : Math.max(reachedAt(shown, visible), earliest);
      if (ready < due(frame + 1)) {
        now[shown + 1] = Math.min(now[shown + 1]!, ready);
        most = Math.max(most, shown + 1);
      }
    }
    reached.push(earliestOf(reached.at(-1), now));
    before = now;
  }
  return most;
}

/** Earliest free time of the machine, ms, by number of frames shown so far. */
function earliestOf(before: Float64Array | undefined, now: Float64Array): Float64Array {
  return before ? before.map((each, shown) => Math.min(each, now[shown]!)) : now.slice();
}

const leftAt = (reached: readonly Float64Array[], frame: number, shown: number): number =>
  reached[frame - 2]?.[shown] ?? Infinity;

function layersOf({ from, to, segments }: Workload): number[] {
  const layers = Array.from({ length: to - from }, () => 0);
  for (const segment of segments)
    for (let frame = Math.max(from, segment.from); frame < Math.min(to, segment.to); frame++)
      layers[frame - from]!++;
  return layers;
}

function frameTimesOf(workload: Workload, isShown: boolean): FrameTimes {
  const { from, to, segments } = workload;
  const frames = to - from;
  const cores = availableCores(workload);
  const empty = (): Float64Array => new Float64Array(frames);
  const [onwards, onwardsCores, cold, coldCores, shown] = [empty(), empty(), empty(), empty(), empty()];
  for (const segment of segments)
    for (let frame = Math.max(from, segment.from); frame < Math.min(to, segment.to); frame++) {
      const at = frame - from;
      // The relaxation: cuts cost no time.
      const isFirst = frame === Math.max(from, segment.from);
      const cost = isFirst
        ? 0
        : decodeMsOf(segment, frame) - (isShown ? 0 : skippableDecodeMs(segment, frame));
      const start = coldMs(segment, frame);
      onwards[at] = Math.max(onwards[at]!, cost);
      onwardsCores[at]! += cost * segment.decodeCores;
      cold[at] = Math.max(cold[at]!, start);
      coldCores[at]! += start * segment.decodeCores;
      if (isShown) shown[at]! += stageWork(segment, 'scale', frame) * (segment.scaleMs + segment.effectsMs);
    }
  if (isShown)
    for (const [at, ms] of workload.composeMs.entries())
      shown[at]! += ms + workload.showMs + workload.presentMs;
  return {
    onwards: onwards.map((ms, at) => Math.max(ms, (onwardsCores[at]! + shown[at]!) / cores)),
    cold: cold.map((ms, at) => Math.max(ms, (coldCores[at]! + shown[at]!) / cores)),
  };
}

/** Cost of starting the decoder and decoding from a frame's key frame on, ms. */
function coldMs(segment: DecodeSegment, frame: number): number {
  const at = frame - segment.from;
  const { firstMs, restartMs } = segment;
  // Backwards, decoding starts with a whole run.
  if (segment.turned && at % segment.turned !== 0) return Infinity;
  const startMs = at === 0 ? firstMs : Math.min(firstMs, restartMs);
  return startMs + coldDecodeMs(segment, frame);
}
