import {
  stretchesIn,
  type CachedUse,
  type Layer,
  type PreviewGraph,
  type RenderGraph,
} from '../render/index.js';
import { rational, timeOfFrame, ZERO } from '../time/index.js';
import type { Tuning } from '../levers/index.js';
import { findCached, stampsOf, uncovered, type CachedStretch, type StampedSource } from './cached-stretch.js';

/** Prefix of the identifiers under which a preview plays cached stretches. */
const CACHED = 'cached:';

/** Identifier under which a preview plays a cached stretch as its source. */
export const cachedSourceId = (stretchId: string): string => CACHED + stretchId;

/** A preview that plays cached stretches where there are any. At rest, it shows its own layers. */
export function withCached(
  preview: PreviewGraph,
  { renderCache = true }: Pick<Tuning, 'renderCache'>,
  sources: readonly StampedSource[],
  stretches: readonly CachedStretch[],
): PreviewGraph {
  if (!renderCache || stretches.length === 0) return preview;
  const uses = findCached(preview.graph, stretches, stampsOf(sources), preview.playSize);
  return uses.length ? { ...preview, played: playedGraph(preview.graph, uses), cached: uses } : preview;
}

function playedGraph(graph: RenderGraph, uses: readonly CachedUse[]): RenderGraph {
  const live = uncovered({ from: 0, to: graph.length }, uses).flatMap((range) => stretchesIn(graph, range));
  const cached = uses.map((use) => ({ from: use.from, to: use.to, layers: [layerOf(graph, use)] }));
  return { ...graph, stretches: [...live, ...cached].sort((a, b) => a.from - b.from) };
}

/** A cached stretch as a clip that begins with its first frame in the range. */
const layerOf = ({ rate }: RenderGraph, { stretchId, from, first }: CachedUse): Layer => ({
  clipId: `${CACHED}${stretchId}:${from}`,
  sourceId: cachedSourceId(stretchId),
  clipStart: from,
  sourceIn: first === 0 ? ZERO : timeOfFrame(first, rate),
  speed: rational(1),
  effects: [],
  framing: 'fit',
  mix: null,
});
