import {
  factsIn,
  stretchesIn,
  type CachedUse,
  type FactsOf,
  type Layer,
  type PreviewGraph,
  type RenderGraph,
  type Stretch,
} from '../render/index.js';
import { rational, timeOfFrame, type Rational } from '../time/index.js';
import type { Tuning } from '../levers/index.js';
import { nodesOf, type CacheNode } from './cache-point.js';
import {
  ContentIndex,
  joined,
  stampsOf,
  uncovered,
  type CachedStretch,
  type ContentUse,
  type StampedSource,
} from './cached-stretch.js';

/** Prefix of the identifiers under which a preview plays cached stretches. */
const CACHED = 'cached:';

/** Identifier under which a preview plays a cached stretch as its source. */
export const cachedSourceId = (stretchId: string): string => CACHED + stretchId;

const isCached = ({ sourceId }: Layer): boolean => sourceId.startsWith(CACHED);

/** A preview that plays cached stretches where there are any. At rest, it shows its own layers. */
export function withCached(
  preview: PreviewGraph,
  { renderCache = true }: Pick<Tuning, 'renderCache'>,
  sources: readonly StampedSource[],
  stretches: readonly CachedStretch[],
): PreviewGraph {
  if (!renderCache || stretches.length === 0) return preview;
  const index = new ContentIndex(stretches, stampsOf(sources), preview.playSize);
  const found = playFromCache(preview.live, index, factsIn(sources));
  return found.cached.length ? { ...preview, ...found } : preview;
}

/** A graph that plays from cached stretches what they hold, and the uses of them. */
export function playFromCache(
  graph: RenderGraph,
  index: ContentIndex,
  factsOf: FactsOf,
): Pick<PreviewGraph, 'played' | 'cached'> {
  const cached: CachedUse[] = [];
  if (index.isEmpty) return { played: graph, cached };
  const cover = (stretch: Stretch): Stretch[] => {
    const nodes = nodesOf(stretch, graph.size, factsOf).filter(({ layers }) => !layers.some(isCached));
    for (const node of nodes) {
      const uses = index.uses(graph, { ...stretch, layers: node.layers });
      if (uses.length === 0) continue;
      cached.push(...uses.map((use) => ({ ...use, point: node.point })));
      const live = uncovered(stretch, uses).map((range) => ({ ...stretch, ...range }));
      const played = uses.map((use) => substitute(graph.rate, stretch, node, use));
      // The other frames, and what is left beside a part, may be played from other stretches.
      return [...live, ...played].sort((a, b) => a.from - b.from).flatMap(cover);
    }
    return [stretch];
  };
  const stretches = stretchesIn(graph, { from: 0, to: graph.length }).flatMap(cover);
  return { played: { ...graph, stretches }, cached: joined(cached.sort((a, b) => a.from - b.from)) };
}

/** The frames of a use, in which one layer stands for those of a node. */
function substitute(rate: Rational, { layers }: Stretch, node: CacheNode, use: ContentUse): Stretch {
  const { first, count } = node;
  const layer = layerOf(rate, use, node.live, layers[first]!);
  return {
    ...{ from: use.from, to: use.to },
    layers: [...layers.slice(0, first), layer, ...layers.slice(first + count)],
  };
}

/**
 * A cached stretch as a layer. Neighbouring uses of the same alignment are one clip.
 * @param live effects of the clip's own that are still to be done, counted from its first frame
 * @param own the first of the layers that it stands for
 */
function layerOf(rate: Rational, use: ContentUse, live: Layer | null, own: Layer): Layer {
  const begin = use.from - use.first;
  const clipStart = live ? live.clipStart : begin;
  return {
    clipId: `${cachedSourceId(use.stretchId)}:${begin}${live ? `:${live.clipId}` : ''}`,
    sourceId: cachedSourceId(use.stretchId),
    clipStart,
    sourceIn: timeOfFrame(clipStart - begin, rate),
    speed: rational(1),
    effects: live?.effects ?? [],
    framing: 'fit',
    mix: own.mix,
  };
}
