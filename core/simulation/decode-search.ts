import type { Workload } from '../cost-model/index.js';
import { PREROLL_FRAMES } from '../pacing/index.js';
import type { DecodeWork } from './decode-work.js';

/** Decoding decision for each frame of a workload. */
export interface DecodeSchedule {
  /** Bit mask over the frame's active segments (`listActiveSegments`): 1 for each that is decoded. */
  readonly decodeMask: Uint16Array;
  /** 1 for each frame that is shown. */
  readonly isShown: Uint8Array;
  /** 1 for each frame near which the cores cannot decode everything in time. */
  readonly isOverloaded: Uint8Array;
}

/** Resolution of the lead, in bins per frame budget. */
const BINS_PER_FRAME = 4;
/** Bounds of the lead: how far decoding runs ahead of the playhead, and behind it. */
const MAX_LEAD_FRAMES = 36;
const MAX_LAG_FRAMES = 12;
const BIN_COUNT = (MAX_LEAD_FRAMES + MAX_LAG_FRAMES) * BINS_PER_FRAME + 1;
const ON_TIME_BIN = MAX_LAG_FRAMES * BINS_PER_FRAME;
/** Above this number, active segments are decoded all together or not at all. */
const MAX_INDEPENDENT_SEGMENTS = 2;
const CHUNK_FRAMES = 600;
/** Freezes above this length make the search try again, with a higher value for frames within them. */
const TARGET_FREEZE_MS = 1100;
const MAX_SEARCHES = 5;

/** Places in the workload of the segments that each frame consists of, from its first frame on. */
export function listActiveSegments({ from, to, segments }: Workload): number[][] {
  const active = Array.from({ length: to - from }, (): number[] => []);
  for (const [place, segment] of segments.entries())
    for (let frame = Math.max(from, segment.from); frame < Math.min(to, segment.to); frame++)
      active[frame - from]!.push(place);
  return active;
}

/** State after a frame: its decode mask, and the bin of the lead. */
interface SearchState {
  readonly decodeMask: number;
  readonly bin: number;
}

/** Back pointers of one frame: by mask and bin, `(index of the mask before × BIN_COUNT + bin) × 2 + isShown`. */
interface BackPointers {
  readonly masks: readonly number[];
  readonly pointers: readonly Int32Array[];
}

/**
 * Finds the schedule that shows most frames in time, by dynamic programming over frames, decode masks and lead. A segment
 * continues from the frame before, pauses, or starts at its key frame.
 */
export class DecodeSearch {
  private readonly schedule: DecodeSchedule;
  /** Value of showing each frame. */
  private readonly frameValues: Float64Array;
  private readonly frameCount: number;

  /** @param active of the workload, by `listActiveSegments` */
  constructor(
    private readonly workload: Workload,
    private readonly work: DecodeWork,
    private readonly active: readonly (readonly number[])[],
  ) {
    this.frameCount = active.length;
    this.schedule = {
      decodeMask: new Uint16Array(this.frameCount),
      isShown: new Uint8Array(this.frameCount),
      isOverloaded: new Uint8Array(this.frameCount),
    };
    this.frameValues = new Float64Array(this.frameCount).fill(1);
  }

  solve(): DecodeSchedule {
    let state: SearchState = { decodeMask: 0, bin: ON_TIME_BIN };
    for (let from = 0; from < this.frameCount; from += CHUNK_FRAMES) {
      const to = Math.min(this.frameCount, from + CHUNK_FRAMES);
      state = this.decodeEverything(from, to, state) ?? this.planChunk(from, to, state);
    }
    return this.schedule;
  }

  /** @returns undefined when the cores cannot keep up in frames [from, to) */
  private decodeEverything(from: number, to: number, state: SearchState): SearchState | undefined {
    let { decodeMask, bin } = state;
    for (let at = from; at < to; at++) {
      const all = 2 ** this.active[at]!.length - 1;
      bin = this.nextBin(bin, this.frameCost(at, all, this.continuingMask(at, decodeMask), true), at);
      if (bin < ON_TIME_BIN) return undefined;
      decodeMask = all;
      this.schedule.decodeMask[at] = all;
      this.schedule.isShown[at] = 1;
    }
    return { decodeMask, bin };
  }

  private planChunk(from: number, to: number, state: SearchState): SearchState {
    const targetFrames = TARGET_FREEZE_MS / this.work.budgetMs;
    let best:
      { readonly end: SearchState; readonly part: DecodeSchedule; readonly freezeFrames: number } | undefined;
    for (let search = 0; search < MAX_SEARCHES; search++) {
      const end = this.searchChunk(from, to, state);
      const freezes = freezesIn(this.schedule.isShown, from, to).filter(
        ({ length }) => length > targetFrames,
      );
      const freezeFrames = freezes.reduce((longest, { length }) => Math.max(longest, length), 0);
      if (!best || freezeFrames < best.freezeFrames)
        best = { end, freezeFrames, part: slice(this.schedule, from, to) };
      if (freezes.length === 0) break;
      for (const { first, length } of freezes)
        for (let at = Math.floor(first + length / 4); at < first + (length * 3) / 4; at++)
          this.frameValues[at]! *= 2;
    }
    this.schedule.decodeMask.set(best!.part.decodeMask, from);
    this.schedule.isShown.set(best!.part.isShown, from);
    this.schedule.isOverloaded.fill(1, from, to);
    return best!.end;
  }

  private searchChunk(from: number, to: number, state: SearchState): SearchState {
    let masks: readonly number[] = [state.decodeMask];
    let values: readonly Float64Array[] = [unreachable()];
    values[0]![state.bin] = 0;
    const history: BackPointers[] = [];
    for (let at = from; at < to; at++) {
      const next = this.advance(at, masks, values);
      history.push(next);
      ({ masks, values } = next);
    }
    let [index, bin, most] = [0, 0, -Infinity];
    for (const [each, value] of values.entries())
      for (let lead = BIN_COUNT - 1; lead >= 0; lead--)
        if (value[lead]! > most) [index, bin, most] = [each, lead, value[lead]!];
    const end = { decodeMask: masks[index]!, bin };
    for (let at = to - 1; at >= from; at--) {
      const { masks: ofFrame, pointers } = history[at - from]!;
      const pointer = pointers[index]![bin]!;
      this.schedule.decodeMask[at] = ofFrame[index]!;
      this.schedule.isShown[at] = pointer & 1;
      [index, bin] = [Math.floor((pointer >> 1) / BIN_COUNT), (pointer >> 1) % BIN_COUNT];
    }
    return end;
  }

  /** One step of the dynamic programming: the best value of each state after a frame. */
  private advance(
    at: number,
    masksBefore: readonly number[],
    valuesBefore: readonly Float64Array[],
  ): BackPointers & { readonly values: readonly Float64Array[] } {
    const count = this.active[at]!.length;
    const all = 2 ** count - 1;
    const masks =
      count > MAX_INDEPENDENT_SEGMENTS ? [all, 0] : Array.from({ length: all + 1 }, (_, mask) => all - mask);
    const values = masks.map(unreachable);
    const pointers = masks.map(() => new Int32Array(BIN_COUNT));
    for (const [index, mask] of masks.entries())
      for (const [indexBefore, maskBefore] of masksBefore.entries()) {
        const continuing = this.continuingMask(at, maskBefore);
        for (const isShown of mask === all ? [1, 0] : [0]) {
          const cost = this.frameCost(at, mask, continuing, isShown === 1);
          if (cost === Infinity) continue;
          const before = { values: valuesBefore[indexBefore]!, index: indexBefore };
          this.relax(before, { values: values[index]!, pointers: pointers[index]! }, at, cost, isShown);
        }
      }
    return { masks, pointers, values };
  }

  private relax(
    before: { readonly values: Float64Array; readonly index: number },
    after: { readonly values: Float64Array; readonly pointers: Int32Array },
    at: number,
    cost: number,
    isShown: number,
  ): void {
    const gain = isShown * this.frameValues[at]!;
    const lowest = isShown ? ON_TIME_BIN : 0;
    for (let bin = 0; bin < BIN_COUNT; bin++) {
      const value = before.values[bin]! + gain;
      if (value === -Infinity) continue;
      const next = this.nextBin(bin, cost, at);
      if (next < lowest || value <= after.values[next]!) continue;
      after.values[next] = value;
      after.pointers[next] = (before.index * BIN_COUNT + bin) * 2 + isShown;
    }
  }

  /** Bit mask over a frame's active segments: 1 for each that was decoded for the frame before. */
  private continuingMask(at: number, maskBefore: number): number {
    const activeBefore = this.active[at - 1] ?? [];
    let mask = 0;
    for (const [bit, place] of this.active[at]!.entries()) {
      const bitBefore = activeBefore.indexOf(place);
      if (bitBefore >= 0 && (maskBefore >> bitBefore) & 1) mask |= 1 << bit;
    }
    return mask;
  }

  /** Work for a frame, in frame budgets; the preroll is ready before playback. */
  private frameCost(at: number, mask: number, continuing: number, isShown: boolean): number {
    if (at <= PREROLL_FRAMES) return 0;
    let [decode, duration, show] = [0, 0, isShown ? this.work.present[at]! : 0];
    for (const [bit, place] of this.active[at]!.entries()) {
      if (!((mask >> bit) & 1)) continue;
      const work = this.work.segments[place]!;
      const frame = this.workload.from + at - this.workload.segments[place]!.from;
      if ((continuing >> bit) & 1) {
        const skipped = isShown ? 0 : work.skippable[frame]!;
        decode += work.sequential[frame]! - skipped;
        duration = Math.max(duration, work.duration[frame]! - skipped);
      } else decode += work.cold[frame]!;
      if (isShown) show += work.render[frame]!;
    }
    return Math.max(decode + show, duration);
  }

  private nextBin(bin: number, cost: number, at: number): number {
    if (at <= PREROLL_FRAMES) return bin;
    // Dithering: rounding errors cancel out over frames.
    const bins = Math.floor(cost * BINS_PER_FRAME + ((at * 0.61803) % 1));
    return Math.min(BIN_COUNT - 1, bin + BINS_PER_FRAME - bins);
  }
}

const unreachable = (): Float64Array => new Float64Array(BIN_COUNT).fill(-Infinity);

const slice = (
  { decodeMask, isShown, isOverloaded }: DecodeSchedule,
  from: number,
  to: number,
): DecodeSchedule => ({
  decodeMask: decodeMask.slice(from, to),
  isShown: isShown.slice(from, to),
  isOverloaded: isOverloaded.slice(from, to),
});

/** Runs of frames within [from, to) that are not shown. */
function freezesIn(isShown: Uint8Array, from: number, to: number): { first: number; length: number }[] {
  const freezes: { first: number; length: number }[] = [];
  let first = from;
  for (let at = from; at <= to; at++) {
    if (at < to && !isShown[at]) continue;
    if (at > first) freezes.push({ first, length: at - first });
    first = at + 1;
  }
  return freezes;
}
