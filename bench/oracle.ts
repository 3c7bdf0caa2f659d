import { decodeWork, stageWork, type DecodeSegment, type Workload } from '@hone/core/cost-model';
import { frameBudgetMs } from '@hone/core/playback';
import { PREROLL_FRAMES } from '@hone/core/pacing';

/** What a frame takes at least when the one before it was decoded, and when decoding begins at it, ms. */
interface FrameTimes {
  readonly onwards: Float64Array;
  readonly cold: Float64Array;
  /** What making and showing it adds. */
  readonly shown: Float64Array;
}

/**
 * The most frames of a workload that a player could show that knew all costs beforehand: dynamic programming over the
 * frames, where each is reached either from the frame before, or by decoding from its key frame after any frame was left.
 * It is an upper bound: decoders never wait for a drive, a first frame after a cut waits for the cores only, and cores are
 * used to the full.
 */
export function oracleFrames(workload: Workload): number {
  const { from, to, slots } = workload;
  const budgetMs = frameBudgetMs(workload.rate);
  const frames = to - from;
  const times = frameTimesOf(workload);
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
    for (let shown = 0; shown <= frame; shown++) {
      // From the frame before, or from the earliest that any frame was left at.
      const onwards = frame === 0 ? 0 : before[shown]! + (isFree ? 0 : times.onwards[frame]!);
      const cold = isFree ? Infinity : leftAt(reached, frame, shown) + times.cold[frame]!;
      const decoded = Math.min(onwards, cold);
      if (decoded === Infinity) continue;
      now[shown] = Math.min(now[shown]!, decoded);
      const earliest = due(Math.max(0, frame - ahead[frame]!));
      const ready = isFree ? 0 : Math.max(decoded, earliest) + times.shown[frame]!;
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

/** Of each count of shown frames, the earliest time at which any frame so far was left. */
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

function frameTimesOf(workload: Workload): FrameTimes {
  const { from, to, segments } = workload;
  const frames = to - from;
  const cores = Math.max(0.2, workload.cores - workload.coresOfOthers);
  const empty = (): Float64Array => new Float64Array(frames);
  const [onwards, onwardsCores, cold, coldCores, shown] = [empty(), empty(), empty(), empty(), empty()];
  for (const segment of segments)
    for (let frame = Math.max(from, segment.from); frame < Math.min(to, segment.to); frame++) {
      const at = frame - from;
      const isFirst = frame === Math.max(from, segment.from);
      const cost = stageWork(segment, 'decode', frame) * segment.decodeMs;
      const start = coldMs(segment, frame);
      // A cut is decoded before it is due, beside whatever else is.
      onwards[at] = Math.max(onwards[at]!, isFirst ? 0 : cost);
      onwardsCores[at]! += cost * segment.decodeCores;
      cold[at] = Math.max(cold[at]!, start);
      coldCores[at]! += start * segment.decodeCores;
      shown[at]! += segment.scaleMs + segment.effectsMs;
    }
  return {
    onwards: onwards.map((ms, at) => Math.max(ms, onwardsCores[at]! / cores)),
    cold: cold.map((ms, at) => Math.max(ms, coldCores[at]! / cores)),
    shown: shown.map(
      (ms, at) => (ms + workload.composeMs[at]! + workload.showMs + workload.presentMs) / cores,
    ),
  };
}

const coldMs = (segment: DecodeSegment, frame: number): number => {
  const at = frame - segment.from;
  return segment.decodeMs * decodeWork(segment, segment.coldDecodes[at]!, segment.coldBits?.[at]);
};
