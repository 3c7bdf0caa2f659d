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
const BINS_PER_FRAME = 2;
/** Bounds of the lead: how far decoding runs ahead of the playhead, and behind it. */
const MAX_LEAD_FRAMES = 96;
const MAX_LAG_FRAMES = 12;
const BIN_COUNT = (MAX_LEAD_FRAMES + MAX_LAG_FRAMES) * BINS_PER_FRAME + 1;
const ON_TIME_BIN = MAX_LAG_FRAMES * BINS_PER_FRAME;
/** Above this number, active segments are decoded all together or not at all. */
const MAX_INDEPENDENT_SEGMENTS = 2;
const CHUNK_FRAMES = 600;
/** How a schedule with long freezes compares with one that shows fewer frames. */
export interface FreezeLimit {
  /** Freezes above this length are penalized. */
  readonly targetMs: number;
  /** Value of each frame of a freeze beyond the target, in shown frames. */
  readonly penalty: number;
}
/** Resolution of the freeze length up to the target, in steps. */
const MAX_FREEZE_STEPS = 11;

/** Places in the workload of the segments that each frame consists of, from its first frame on. */
export function listActiveSegments({ from, to, segments }: Workload): number[][] {
  const active = Array.from({ length: to - from }, (): number[] => []);
  for (const [place, segment] of segments.entries())
    for (let frame = Math.max(from, segment.from); frame < Math.min(to, segment.to); frame++)
      active[frame - from]!.push(place);
  return active;
}

/** State after a frame: its decode mask, and its cell, which is the freeze length and the bin of the lead. */
interface SearchState {
  readonly decodeMask: number;
  readonly cell: number;
}

/** Back pointers of one frame: by mask and cell, `(index of the mask before × cell count + cell) × 2 + isShown`. */
interface BackPointers {
  readonly masks: readonly number[];
  readonly pointers: readonly Int32Array[];
}

/**
 * Finds the schedule that shows most frames in time with few long freezes, by dynamic programming over frames, decode
 * masks, freeze length and lead. A segment continues from the frame before, pauses, or starts at its key frame.
 */
export class DecodeSearch {
  private readonly schedule: DecodeSchedule;
  private readonly frameCount: number;
  /** Frames of a step of the freeze length, and number of lengths; the last is the target and beyond. */
  private readonly stepFrames: number;
  private readonly freezeCount: number;
  private readonly cellCount: number;

  /**
   * @param active of the workload, by `listActiveSegments`
   * @param overlaps whether other decoders always use the cores that one leaves idle
   */
  constructor(
    private readonly workload: Workload,
    private readonly work: DecodeWork,
    private readonly active: readonly (readonly number[])[],
    private readonly overlaps: boolean,
    private readonly freezeLimit: FreezeLimit,
  ) {
    this.frameCount = active.length;
    this.schedule = {
      decodeMask: new Uint16Array(this.frameCount),
      isShown: new Uint8Array(this.frameCount),
      isOverloaded: new Uint8Array(this.frameCount),
    };
    const targetFrames = Math.max(1, Math.floor(freezeLimit.targetMs / work.budgetMs));
    this.stepFrames = Math.ceil(targetFrames / MAX_FREEZE_STEPS);
    this.freezeCount = Math.floor(targetFrames / this.stepFrames) + 1;
    this.cellCount = this.freezeCount * BIN_COUNT;
  }

  solve(): DecodeSchedule {
    let state: SearchState = { decodeMask: 0, cell: ON_TIME_BIN };
    for (let from = 0; from < this.frameCount; from += CHUNK_FRAMES) {
      const to = Math.min(this.frameCount, from + CHUNK_FRAMES);
      state = this.decodeEverything(from, to, state) ?? this.searchChunk(from, to, state);
    }
    return this.schedule;
  }

  /** @returns undefined when the cores cannot keep up in frames [from, to) */
  private decodeEverything(from: number, to: number, state: SearchState): SearchState | undefined {
    let { decodeMask } = state;
    let bin = state.cell % BIN_COUNT;
    for (let at = from; at < to; at++) {
      const all = 2 ** this.active[at]!.length - 1;
      const cost = this.frameCost(at, all, this.continuingMask(at, decodeMask), true);
      bin = Math.min(this.maxBinShown(at), bin + this.binsGained(at, cost));
      if (bin < ON_TIME_BIN) return undefined;
      decodeMask = all;
      this.schedule.decodeMask[at] = all;
      this.schedule.isShown[at] = 1;
    }
    return { decodeMask, cell: bin };
  }

  private searchChunk(from: number, to: number, state: SearchState): SearchState {
    let masks: readonly number[] = [state.decodeMask];
    let values: readonly Float32Array[] = [this.unreachable()];
    values[0]![state.cell] = 0;
    const history: BackPointers[] = [];
    for (let at = from; at < to; at++) {
      const next = this.advance(at, masks, values);
      history.push(next);
      ({ masks, values } = next);
    }
    let [index, cell, most] = [0, 0, -Infinity];
    for (const [each, value] of values.entries())
      for (let last = this.cellCount - 1; last >= 0; last--)
        if (value[last]! > most) [index, cell, most] = [each, last, value[last]!];
    const end = { decodeMask: masks[index]!, cell };
    for (let at = to - 1; at >= from; at--) {
      const { masks: ofFrame, pointers } = history[at - from]!;
      const pointer = pointers[index]![cell]!;
      this.schedule.decodeMask[at] = ofFrame[index]!;
      this.schedule.isShown[at] = pointer & 1;
      [index, cell] = [Math.floor((pointer >> 1) / this.cellCount), (pointer >> 1) % this.cellCount];
    }
    this.schedule.isOverloaded.fill(1, from, to);
    return end;
  }

  /** One step of the dynamic programming: the best value of each state after a frame. */
  private advance(
    at: number,
    masksBefore: readonly number[],
    valuesBefore: readonly Float32Array[],
  ): BackPointers & { readonly values: readonly Float32Array[] } {
    const count = this.active[at]!.length;
    const all = 2 ** count - 1;
    const masks =
      count > MAX_INDEPENDENT_SEGMENTS ? [all, 0] : Array.from({ length: all + 1 }, (_, mask) => all - mask);
    const values = masks.map(() => this.unreachable());
    const pointers = masks.map(() => new Int32Array(this.cellCount));
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
    before: { readonly values: Float32Array; readonly index: number },
    after: { readonly values: Float32Array; readonly pointers: Int32Array },
    at: number,
    cost: number,
    isShown: number,
  ): void {
    const gained = this.binsGained(at, cost);
    const lowest = isShown ? ON_TIME_BIN : 0;
    const highest = isShown ? this.maxBinShown(at) : BIN_COUNT - 1;
    const longest = this.freezeCount - 1;
    const isStep = at % this.stepFrames === 0;
    for (let freeze = 0; freeze <= longest; freeze++) {
      const gain = isShown || (freeze === longest ? -this.freezeLimit.penalty : 0);
      const start = freeze * BIN_COUNT;
      const nextStart = isShown ? 0 : BIN_COUNT * Math.min(longest, freeze + Number(isStep));
      for (let bin = Math.max(0, lowest - gained); bin < BIN_COUNT; bin++) {
        const value = before.values[start + bin]! + gain;
        if (value === -Infinity) continue;
        const next = nextStart + Math.min(highest, bin + gained);
        if (value <= after.values[next]!) continue;
        after.values[next] = value;
        after.pointers[next] = (before.index * this.cellCount + start + bin) * 2 + isShown;
      }
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
    return this.overlaps ? decode + show : Math.max(decode + show, duration);
  }

  /** Bins of lead that a frame gains, or loses below zero. */
  private binsGained(at: number, cost: number): number {
    if (at <= PREROLL_FRAMES) return 0;
    // Dithering: rounding errors cancel out over frames.
    return BINS_PER_FRAME - Math.floor(cost * BINS_PER_FRAME + ((at * 0.61803) % 1));
  }

  /** Largest lead of a frame that is shown: its pictures wait in buffers. */
  private maxBinShown(at: number): number {
    const frames = this.workload.slots / Math.max(1, this.active[at]!.length);
    return ON_TIME_BIN + BINS_PER_FRAME * Math.max(1, Math.min(MAX_LEAD_FRAMES, Math.floor(frames)));
  }

  private unreachable(): Float32Array {
    return new Float32Array(this.cellCount).fill(-Infinity);
  }
}
