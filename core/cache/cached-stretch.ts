import { interpretedStamp, type SourceFacts } from '../media/index.js';
import type { CachedUse, RenderGraph, Stretch } from '../render/index.js';
import type { FrameRange, FrameSize } from '../timeline/index.js';
import { formatRational, type Rational } from '../time/index.js';
import { offsetIn, runOf, type ContentRun, type StampOf } from './frame-content.js';

/** Frames that were rendered in advance, in a file of their own, each frame on its own. */
export interface CachedStretch {
  readonly id: string;
  readonly rate: Rational;
  /** Size of the pictures in the file. */
  readonly size: FrameSize;
  readonly frameCount: number;
  /** What the frames show, in order. */
  readonly content: readonly ContentRun[];
  readonly bytes: number;
  /** Name of its coding (`cacheFormat`). */
  readonly format?: string | undefined;
}

/** A source whose content is known, whether its file is there now or not. */
export interface StampedSource {
  readonly id: string;
  readonly stamp: string;
  readonly facts: SourceFacts | null;
}

/** Identity of the pictures of sources, and of the rate at which they follow each other: stills have it from the user. */
export function stampsOf(sources: readonly StampedSource[]): StampOf {
  const stamps = new Map(
    sources.map(({ id, stamp, facts }) => {
      const picture = facts?.picture;
      const rate = picture ? ` ${formatRational(picture.rate)}` : '';
      return [id, interpretedStamp(stamp, picture) + rate];
    }),
  );
  return (sourceId) => stamps.get(sourceId);
}

/** One run of the content of a cached stretch. */
interface KnownRun {
  readonly stretch: CachedStretch;
  readonly run: ContentRun;
  /** Frame of the file at which it begins. */
  readonly first: number;
}

/**
 * Finds cached stretches with the content of a graph: of its whole picture.
 * @param size of the pictures that are wanted
 * @returns uses in order; they do not overlap
 */
export function findCached(
  graph: RenderGraph,
  stretches: readonly CachedStretch[],
  stampOf: StampOf,
  size: FrameSize,
): readonly CachedUse[] {
  const index = new ContentIndex(stretches, stampOf, size);
  return joined(
    graph.stretches.flatMap((stretch) => (stretch.layers.length ? index.uses(graph, stretch) : [])),
  );
}

/** A use of which it is not said yet what it stands for. */
export type ContentUse = Omit<CachedUse, 'point'>;

/** Cached stretches of one size, by what they show. */
export class ContentIndex {
  private readonly known: ReadonlyMap<string, readonly KnownRun[]>;

  constructor(
    stretches: readonly CachedStretch[],
    private readonly stampOf: StampOf,
    size: FrameSize,
  ) {
    this.known = runsByKind(stretches.filter((each) => sameSize(each.size, size)));
  }

  get isEmpty(): boolean {
    return this.known.size === 0;
  }

  /** Uses for the layers of a stretch, in order; they do not overlap. */
  uses(graph: Pick<RenderGraph, 'rate' | 'size'>, stretch: Stretch): ContentUse[] {
    const run = this.isEmpty ? undefined : runOf(graph, stretch, this.stampOf);
    return run ? usesIn(stretch, run, this.known.get(run.kind) ?? []) : [];
  }
}

const sameSize = (a: FrameSize, b: FrameSize): boolean => a.width === b.width && a.height === b.height;

function runsByKind(stretches: readonly CachedStretch[]): ReadonlyMap<string, readonly KnownRun[]> {
  const byKind = new Map<string, KnownRun[]>();
  for (const stretch of stretches) {
    let first = 0;
    for (const run of stretch.content) {
      byKind.set(run.kind, [...(byKind.get(run.kind) ?? []), { stretch, run, first }]);
      first += run.count;
    }
  }
  return byKind;
}

/** Uses within frames that show one run of content, in order, from the stretches that go the furthest. */
function usesIn({ from, to }: FrameRange, run: ContentRun, known: readonly KnownRun[]): ContentUse[] {
  const candidates = known.flatMap(({ stretch, run: kept, first }) => {
    const offset = offsetIn(run, kept);
    if (offset === undefined) return [];
    const begin = from + offset;
    const [start, end] = [Math.max(from, begin), Math.min(to, begin + kept.count)];
    return start < end ? [{ from: start, to: end, stretchId: stretch.id, first: first + start - begin }] : [];
  });
  const uses: ContentUse[] = [];
  let frame = from;
  while (frame < to) {
    const here = candidates.filter((each) => each.from <= frame && frame < each.to);
    const best = here.reduce<ContentUse | undefined>(
      (far, each) => (far && far.to >= each.to ? far : each),
      undefined,
    );
    if (best) uses.push({ ...best, from: frame, first: best.first + frame - best.from });
    frame = best
      ? best.to
      : Math.min(to, ...candidates.filter((each) => each.from > frame).map((each) => each.from));
  }
  return uses;
}

/** Uses of frames of one file that follow each other become one. */
export function joined(uses: readonly CachedUse[]): CachedUse[] {
  const all: CachedUse[] = [];
  for (const use of uses) {
    const last = all.at(-1);
    const goesOn =
      last?.stretchId === use.stretchId &&
      last.point?.clipId === use.point?.clipId &&
      last.point?.kind === use.point?.kind &&
      last.to === use.from &&
      last.first + last.to - last.from === use.first;
    if (goesOn) all[all.length - 1] = { ...last, to: use.to };
    else all.push(use);
  }
  return all;
}

/** Parts of a range that no use covers. */
export function uncovered({ from, to }: FrameRange, uses: readonly FrameRange[]): FrameRange[] {
  const parts: FrameRange[] = [];
  let frame = from;
  for (const use of uses) {
    if (use.to <= frame || use.from >= to) continue;
    if (use.from > frame) parts.push({ from: frame, to: use.from });
    frame = use.to;
  }
  if (frame < to) parts.push({ from: frame, to });
  return parts;
}
