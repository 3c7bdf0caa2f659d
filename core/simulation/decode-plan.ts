import type { DecodeSegment, Workload } from '../cost-model/index.js';
import { decodePartsOf, OPEN_AHEAD_SECONDS, PREROLL_FRAMES, type DecodeRange } from '../pacing/index.js';
import { DecodeSearch, seenIn, type DecodeChoice } from './decode-search.js';
import { decodeWorkOf, type DecodeWork } from './decode-work.js';

/** How long before it must, decoding of a range begins, ms. */
const SPARE_MS = 300;
/** How long before it is due a frame may be decoded, in frames. */
const MOST_AHEAD = 96;

/**
 * What is decoded of a workload that is beyond the machine, so that most frames are shown in time. The costs are known, so
 * that no decoder works for frames that come too late.
 * @returns undefined when everything can be decoded in time
 */
export function planDecoding(workload: Workload): readonly DecodeRange[] | undefined {
  const work = decodeWorkOf(workload);
  const seen = seenIn(workload);
  const choice = new DecodeSearch(workload, work, seen).run();
  return choice.overloaded.includes(1) ? rangesOf(workload, work, seen, choice) : undefined;
}

/** A range while it is laid out, from its last frame on. */
interface OpenRange {
  readonly place: number;
  from: number;
  readonly to: number;
  beginAt: number;
  /** Work of it that is done in each frame's time. */
  readonly done: Map<number, number>;
}

/** Work is done as late as it can be; decoding begins with the earliest of it. */
function rangesOf(
  workload: Workload,
  { segments, composed, budgetMs }: DecodeWork,
  seen: readonly (readonly number[])[],
  { decoded, shown, overloaded }: DecodeChoice,
): DecodeRange[] {
  const { from } = workload;
  const free = new Float64Array(seen.length).fill(1);
  const ranges: OpenRange[] = [];
  let open = new Map<number, OpenRange>();
  for (let at = seen.length - 1; at >= 0; at--) {
    const still = new Map<number, OpenRange>();
    for (const [bit, place] of seen[at]!.entries()) {
      if (!((decoded[at]! >> bit) & 1)) continue;
      const range = open.get(place) ?? { place, from: at, to: at + 1, beginAt: at, done: new Map() };
      if (!open.has(place)) ranges.push(range);
      range.from = at;
      still.set(place, range);
    }
    open = still;
    if (at <= PREROLL_FRAMES) continue;
    free[at]! -= shown[at] ? composed[at]! : 0;
    for (const [place, range] of open) {
      const { cold, made, most, onwards } = segments[place]!;
      const frame = from + at - workload.segments[place]!.from;
      const isFirst = !goesOn(seen, decoded, at, place);
      let left = (isFirst ? cold : onwards)[frame]! + (shown[at] ? made[frame]! : 0);
      for (let earlier = at; left > 1e-9 && earlier >= Math.max(0, at - MOST_AHEAD); earlier--) {
        const done = range.done.get(earlier) ?? 0;
        const more = Math.max(0, Math.min(left, most - done, free[earlier]!));
        if (more === 0) continue;
        free[earlier]! -= more;
        range.done.set(earlier, done + more);
        left -= more;
        range.beginAt = Math.min(range.beginAt, earlier);
      }
    }
  }
  const [spare, lead] = [SPARE_MS, OPEN_AHEAD_SECONDS * 1000].map((ms) => ms / budgetMs);
  return ranges
    .map((range): DecodeRange => {
      const latest = overloaded[range.from] ? Infinity : range.from - lead!;
      return {
        clipId: workload.segments[range.place]!.clipId,
        from: from + range.from,
        to: from + range.to,
        beginAt: from + Math.min(latest, range.beginAt - spare!),
      };
    })
    .sort((a, b) => a.beginAt - b.beginAt);
}

function goesOn(
  seen: readonly (readonly number[])[],
  decoded: Uint16Array,
  at: number,
  place: number,
): boolean {
  const bit = seen[at - 1]?.indexOf(place) ?? -1;
  return bit >= 0 && ((decoded[at - 1]! >> bit) & 1) === 1;
}

/** A workload of which only ranges are decoded. */
export function plannedWorkload(workload: Workload, ranges: readonly DecodeRange[] | undefined): Workload {
  if (!ranges) return workload;
  const { from, to } = workload;
  const parts = decodePartsOf(workload.segments, ranges, from);
  const missing = new Int16Array(to - from);
  const count = (first: number, end: number, by: number): void => {
    for (let frame = Math.max(from, first); frame < Math.min(to, end); frame++) missing[frame - from]! += by;
  };
  for (const segment of workload.segments) count(segment.from, segment.to, 1);
  for (const part of parts) count(part.from, part.to, -1);
  return {
    ...workload,
    segments: parts.map(({ segment, beginAt, ...part }) => ({
      ...partOf(segment, part.from, part.to),
      beginAt,
    })),
    leftOut: Uint8Array.from(missing, (pictures) => Number(pictures > 0)),
  };
}

/** Frames [from, to) of a segment, as one. */
function partOf(segment: DecodeSegment, from: number, to: number): DecodeSegment {
  const [first, end] = [from - segment.from, to - segment.from];
  return {
    ...segment,
    from,
    to,
    decodes: segment.decodes.subarray(first, end),
    coldDecodes: segment.coldDecodes.subarray(first, end),
    repeats: segment.repeats?.subarray(first, end),
    bits: segment.bits?.subarray(first, end),
    coldBits: segment.coldBits?.subarray(first, end),
    unreferenced: segment.unreferenced?.subarray(first, end),
    ownBits: segment.ownBits?.subarray(first, end),
    entries: segment.entries.filter((frame) => frame >= from && frame < to),
  };
}
