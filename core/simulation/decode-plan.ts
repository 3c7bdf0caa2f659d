import { group } from 'd3-array';
import type { DecodeSegment, Workload } from '../cost-model/index.js';
import {
  missingParts,
  OPEN_AHEAD_SECONDS,
  PREROLL_FRAMES,
  splitByRanges,
  type DecodeRange,
  type KeptRange,
} from '../pacing/index.js';
import { DecodeSearch, listActiveSegments, type DecodeSchedule, type FreezeLimit } from './decode-search.js';
import { computeDecodeWork, type DecodeWork } from './decode-work.js';

/** Decoding of a range begins this long before its work requires it, ms. */
const START_MARGIN_MS = 300;
/** A frame is decoded at most this long before it is due, in frames. */
const MAX_LEAD_FRAMES = 96;

export interface PlanOptions {
  /** Whether the plan assumes that decoders overlap, so that no core idles while one decoder alone is slow. */
  readonly overlaps: boolean;
  readonly freezeLimit: FreezeLimit;
}

/**
 * Plans what to decode of a workload that is beyond the machine, so that most frames are shown in time.
 * @returns undefined when the cores decode everything in time
 */
export function planDecoding(
  workload: Workload,
  { overlaps, freezeLimit }: PlanOptions,
): readonly DecodeRange[] | undefined {
  const work = computeDecodeWork(workload);
  const active = listActiveSegments(workload);
  const schedule = new DecodeSearch(workload, work, active, overlaps, freezeLimit).solve();
  return schedule.isOverloaded.includes(1) ? scheduleRanges(workload, work, active, schedule) : undefined;
}

/** A range under construction, from its last frame to its first. */
interface OpenRange {
  readonly place: number;
  from: number;
  readonly to: number;
  beginAt: number;
  /** Work by the frame during which it is done. */
  readonly workDone: Map<number, number>;
}

/** Assigns the work of each frame to the latest free core time before it; decoding of a range begins with its first work. */
function scheduleRanges(
  workload: Workload,
  { segments, present, budgetMs }: DecodeWork,
  active: readonly (readonly number[])[],
  { decodeMask, isShown, isOverloaded }: DecodeSchedule,
): DecodeRange[] {
  const { from } = workload;
  const freeWork = new Float64Array(active.length).fill(1);
  const ranges: OpenRange[] = [];
  let open = new Map<number, OpenRange>();
  for (let at = active.length - 1; at >= 0; at--) {
    const stillOpen = new Map<number, OpenRange>();
    for (const [bit, place] of active[at]!.entries()) {
      if (!((decodeMask[at]! >> bit) & 1)) continue;
      const range = open.get(place) ?? { place, from: at, to: at + 1, beginAt: at, workDone: new Map() };
      if (!open.has(place)) ranges.push(range);
      range.from = at;
      stillOpen.set(place, range);
    }
    open = stillOpen;
    if (at <= PREROLL_FRAMES) continue;
    freeWork[at]! -= isShown[at] ? present[at]! : 0;
    for (const [place, range] of open) {
      const { cold, maxPerFrame, render, sequential } = segments[place]!;
      const frame = from + at - workload.segments[place]!.from;
      const bitBefore = active[at - 1]?.indexOf(place) ?? -1;
      const isContinuing = bitBefore >= 0 && ((decodeMask[at - 1]! >> bitBefore) & 1) === 1;
      let left = (isContinuing ? sequential : cold)[frame]! + (isShown[at] ? render[frame]! : 0);
      for (let earlier = at; left > 1e-9 && earlier >= Math.max(0, at - MAX_LEAD_FRAMES); earlier--) {
        const done = range.workDone.get(earlier) ?? 0;
        const more = Math.max(0, Math.min(left, maxPerFrame - done, freeWork[earlier]!));
        if (more === 0) continue;
        freeWork[earlier]! -= more;
        range.workDone.set(earlier, done + more);
        left -= more;
        range.beginAt = Math.min(range.beginAt, earlier);
      }
    }
  }
  const marginFrames = START_MARGIN_MS / budgetMs;
  const leadFrames = (OPEN_AHEAD_SECONDS * 1000) / budgetMs;
  return ranges
    .map((range): DecodeRange => {
      const latest = isOverloaded[range.from] ? Infinity : range.from - leadFrames;
      return {
        clipId: workload.segments[range.place]!.clipId,
        from: from + range.from,
        to: from + range.to,
        beginAt: from + Math.min(latest, range.beginAt - marginFrames),
      };
    })
    .sort((a, b) => a.beginAt - b.beginAt);
}

/** Restricts a workload to the ranges that the player decodes; undefined restricts nothing. */
export function restrictWorkload(workload: Workload, ranges: readonly DecodeRange[] | undefined): Workload {
  if (!ranges) return workload;
  const { from, to } = workload;
  const parts = splitByRanges(workload.segments, ranges, from);
  const missing = new Int16Array(to - from);
  const count = (first: number, end: number, by: number): void => {
    for (let frame = Math.max(from, first); frame < Math.min(to, end); frame++) missing[frame - from]! += by;
  };
  for (const segment of workload.segments) count(segment.from, segment.to, 1);
  for (const part of parts) count(part.from, part.to, -1);
  return {
    ...workload,
    segments: parts.map((part) => ({
      ...sliceSegment(part.segment, part.from, part.to),
      beginAt: part.beginAt,
    })),
    isIncomplete: Uint8Array.from(missing, (pictures) => Number(pictures > 0)),
  };
}

/** A workload whose pictures are partly in memory from an earlier pass: they need no decoding, and are ready. */
export function withoutKept(workload: Workload, kept: readonly KeptRange[] | undefined): Workload {
  if (!kept?.length) return workload;
  const byClip = group(kept, ({ clipId }) => clipId);
  const segments = workload.segments.flatMap((segment) => {
    const own = byClip.get(segment.clipId);
    if (!own) return [segment];
    const isKept = (frame: number): boolean => own.some(({ from, to }) => from <= frame && frame < to);
    return missingParts(segment, isKept).map(({ from, to }) => sliceSegment(segment, from, to));
  });
  return { ...workload, segments: segments.sort((a, b) => a.from - b.from) };
}

/** Frames [from, to) of a segment. */
function sliceSegment(segment: DecodeSegment, from: number, to: number): DecodeSegment {
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
