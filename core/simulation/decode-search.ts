import { PREROLL_FRAMES } from '../pacing/index.js';
import type { Workload } from '../cost-model/index.js';
import type { DecodeWork } from './decode-work.js';

/** What is decoded for each frame of a workload, and whether it is shown. */
export interface DecodeChoice {
  /** Of the segments that are seen in the frame (`seenIn`), those that are decoded: a bit for each. */
  readonly decoded: Uint16Array;
  readonly shown: Uint8Array;
  /** Whether there is more to do at the frame than can be done. */
  readonly overloaded: Uint8Array;
}

/** Parts of a frame's time in which work is counted. */
const PARTS = 4;
/** How far work may be ahead of what is due, and behind it, in frames. */
const MOST_AHEAD = 36;
const MOST_BEHIND = 12;
const BINS = (MOST_AHEAD + MOST_BEHIND) * PARTS + 1;
const ON_TIME = MOST_BEHIND * PARTS;
/** More segments than this are decoded all together or not at all. */
const MOST_APART = 2;
/** Frames that are planned at once. */
const CHUNK = 600;
/** The longest that one picture is to stand, ms, and how often a better plan is looked for where it stands longer. */
const LONGEST_FREEZE_MS = 1100;
const TURNS = 5;

/** Places of the segments that are seen in each frame of a workload, from its first on. */
export function seenIn({ from, to, segments }: Workload): number[][] {
  const seen = Array.from({ length: to - from }, (): number[] => []);
  for (const [place, segment] of segments.entries())
    for (let frame = Math.max(from, segment.from); frame < Math.min(to, segment.to); frame++)
      seen[frame - from]!.push(place);
  return seen;
}

/** Where a search stands behind a frame: which segments are decoded, and how far work is ahead. */
interface State {
  readonly decoded: number;
  readonly bin: number;
}

/** How each state behind a frame was come by: by mask and bin, `(place of the mask before × BINS + bin) × 2 + shown`. */
interface Step {
  readonly masks: readonly number[];
  readonly from: readonly Int32Array[];
}

/**
 * Which segments are decoded for which frames so that most frames are shown in time: dynamic programming over the frames,
 * the segments that are decoded, and how far work is ahead of what is due. What is decoded goes on from the frame before, or
 * begins anew.
 */
export class DecodeSearch {
  private readonly choice: DecodeChoice;
  private readonly weights: Float64Array;
  private readonly frames: number;

  constructor(
    private readonly workload: Workload,
    private readonly work: DecodeWork,
    private readonly seen: readonly (readonly number[])[],
  ) {
    this.frames = seen.length;
    this.choice = {
      decoded: new Uint16Array(this.frames),
      shown: new Uint8Array(this.frames),
      overloaded: new Uint8Array(this.frames),
    };
    this.weights = new Float64Array(this.frames).fill(1);
  }

  run(): DecodeChoice {
    let state: State = { decoded: 0, bin: ON_TIME };
    for (let at = 0; at < this.frames; at += CHUNK) {
      const end = Math.min(this.frames, at + CHUNK);
      state = this.goThrough(at, end, state) ?? this.planned(at, end, state);
    }
    return this.choice;
  }

  /** Decodes everything of frames [from, to). @returns undefined when that is too much */
  private goThrough(from: number, to: number, state: State): State | undefined {
    const { choice } = this;
    let { decoded, bin } = state;
    for (let at = from; at < to; at++) {
      const all = 2 ** this.seen[at]!.length - 1;
      bin = this.binAfter(bin, this.costOf(at, all, this.goingOn(at, decoded), true), at);
      if (bin < ON_TIME) return undefined;
      decoded = all;
      choice.decoded[at] = all;
      choice.shown[at] = 1;
    }
    return { decoded, bin };
  }

  /** The best that is found where no freeze is too long. */
  private planned(from: number, to: number, state: State): State {
    const longest = LONGEST_FREEZE_MS / this.work.budgetMs;
    let best: { readonly end: State; readonly choice: DecodeChoice; readonly freeze: number } | undefined;
    for (let turn = 0; turn < TURNS; turn++) {
      const end = this.search(from, to, state);
      const gaps = gapsOf(this.choice.shown, from, to).filter(({ length }) => length > longest);
      const freeze = gaps.reduce((most, { length }) => Math.max(most, length), 0);
      if (!best || freeze < best.freeze) best = { end, freeze, choice: sliceOf(this.choice, from, to) };
      // The next plan is rather to show something in the middle of them.
      for (const { first, length } of gaps)
        for (let at = Math.floor(first + length / 4); at < first + (length * 3) / 4; at++)
          this.weights[at]! *= 2;
      if (gaps.length === 0) break;
    }
    this.choice.decoded.set(best!.choice.decoded, from);
    this.choice.shown.set(best!.choice.shown, from);
    this.choice.overloaded.fill(1, from, to);
    return best!.end;
  }

  private search(from: number, to: number, state: State): State {
    let masks: readonly number[] = [state.decoded];
    let values: readonly Float64Array[] = [nothing()];
    values[0]![state.bin] = 0;
    const steps: Step[] = [];
    for (let at = from; at < to; at++) {
      const next = this.step(at, masks, values);
      steps.push(next);
      ({ masks, values } = next);
    }
    let [mask, bin, most] = [0, 0, -Infinity];
    for (const [each, value] of values.entries())
      for (let at = BINS - 1; at >= 0; at--)
        if (value[at]! > most) [mask, bin, most] = [each, at, value[at]!];
    const end = { decoded: masks[mask]!, bin };
    for (let at = to - 1; at >= from; at--) {
      const step = steps[at - from]!;
      const by = step.from[mask]![bin]!;
      this.choice.decoded[at] = step.masks[mask]!;
      this.choice.shown[at] = by & 1;
      [mask, bin] = [Math.floor((by >> 1) / BINS), (by >> 1) % BINS];
    }
    return end;
  }

  private step(
    at: number,
    before: readonly number[],
    values: readonly Float64Array[],
  ): Step & { readonly values: readonly Float64Array[] } {
    const count = this.seen[at]!.length;
    const all = 2 ** count - 1;
    const masks = count > MOST_APART ? [all, 0] : Array.from({ length: all + 1 }, (_, each) => all - each);
    const best = masks.map(nothing);
    const from = masks.map(() => new Int32Array(BINS));
    for (const [to, mask] of masks.entries())
      for (const [old, decoded] of before.entries()) {
        const goingOn = this.goingOn(at, decoded);
        for (const isShown of mask === all ? [1, 0] : [0]) {
          const cost = this.costOf(at, mask, goingOn, isShown === 1);
          if (cost === Infinity) continue;
          this.relax(values[old]!, best[to]!, from[to]!, old, at, cost, isShown);
        }
      }
    return { masks, from, values: best };
  }

  private relax(
    value: Float64Array,
    best: Float64Array,
    from: Int32Array,
    old: number,
    at: number,
    cost: number,
    isShown: number,
  ): void {
    const worth = isShown * this.weights[at]!;
    const lowest = isShown ? ON_TIME : 0;
    for (let bin = 0; bin < BINS; bin++) {
      const sum = value[bin]! + worth;
      if (sum === -Infinity) continue;
      const next = this.binAfter(bin, cost, at);
      if (next < lowest || sum <= best[next]!) continue;
      best[next] = sum;
      from[next] = (old * BINS + bin) * 2 + isShown;
    }
  }

  /** Which segments of a frame were decoded for the frame before: a bit for each. */
  private goingOn(at: number, decoded: number): number {
    const before = this.seen[at - 1] ?? [];
    let bits = 0;
    for (const [bit, place] of this.seen[at]!.entries()) {
      const was = before.indexOf(place);
      if (was >= 0 && (decoded >> was) & 1) bits |= 1 << bit;
    }
    return bits;
  }

  /** Work for a frame, in the time of frames; what playing begins with is ready before. */
  private costOf(at: number, mask: number, goingOn: number, isShown: boolean): number {
    if (at <= PREROLL_FRAMES) return 0;
    let [decode, serial, show] = [0, 0, isShown ? this.work.composed[at]! : 0];
    for (const [bit, place] of this.seen[at]!.entries()) {
      if (!((mask >> bit) & 1)) continue;
      const { cold, onwards, serial: own, spared, made } = this.work.segments[place]!;
      const frame = this.workload.from + at - this.workload.segments[place]!.from;
      if ((goingOn >> bit) & 1) {
        const less = isShown ? 0 : spared[frame]!;
        decode += onwards[frame]! - less;
        serial = Math.max(serial, own[frame]! - less);
      } else decode += cold[frame]!;
      if (isShown) show += made[frame]!;
    }
    return Math.max(decode + show, serial);
  }

  private binAfter(bin: number, cost: number, at: number): number {
    if (at <= PREROLL_FRAMES) return bin;
    // Rounded up and down by turns, so that it evens out.
    return Math.min(BINS - 1, bin + PARTS - Math.floor(cost * PARTS + ((at * 0.61803) % 1)));
  }
}

const nothing = (): Float64Array => new Float64Array(BINS).fill(-Infinity);

const sliceOf = ({ decoded, shown, overloaded }: DecodeChoice, from: number, to: number): DecodeChoice => ({
  decoded: decoded.slice(from, to),
  shown: shown.slice(from, to),
  overloaded: overloaded.slice(from, to),
});

/** Frames in [from, to) that follow each other and are not shown. */
function gapsOf(shown: Uint8Array, from: number, to: number): { first: number; length: number }[] {
  const gaps: { first: number; length: number }[] = [];
  let first = from;
  for (let at = from; at <= to; at++) {
    if (at < to && !shown[at]) continue;
    if (at > first) gaps.push({ first, length: at - first });
    first = at + 1;
  }
  return gaps;
}
