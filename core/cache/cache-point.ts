import {
  coversFrame,
  isTemporal,
  layerStages,
  type CachePoint,
  type FactsOf,
  type KnownEffect,
  type Layer,
  type RenderGraph,
  type Stretch,
} from '../render/index.js';
import type { FrameSize } from '../timeline/index.js';

/** A node of one stretch: its picture is opaque and fills the frame, so that a file without alpha can hold it. */
export interface CacheNode {
  /** Undefined for the whole picture. */
  readonly point?: CachePoint;
  /** What is rendered, the lowest first. */
  readonly layers: readonly Layer[];
  /** Index of the first layer of the stretch that it stands for, and their number. */
  readonly first: number;
  readonly count: number;
  /** The layer of which effects are left to be done live, without those that are rendered. */
  readonly live: Layer | null;
}

/** Effects that depend on the position or the shape of a picture. */
const PLACING: readonly KnownEffect['kind'][] = ['transform', 'mask'];

/**
 * Nodes of a stretch that can be kept: the whole picture, then everything below each clip, the most first, and then clips
 * alone, each with all of its effects first.
 */
export function nodesOf({ layers }: Stretch, size: FrameSize, factsOf: FactsOf): CacheNode[] {
  if (layers.length === 0) return [];
  const whole: CacheNode = { layers, first: 0, count: layers.length, live: null };
  const above = layers.slice(1).reverse();
  const below = above.map((layer) => nodeAt(layers, { kind: 'below', clipId: layer.clipId }, size, factsOf));
  const clips = layers.flatMap(({ clipId, effects }) =>
    Array.from({ length: effects.length + 1 }, (_, left) =>
      nodeAt(layers, { kind: 'clip', clipId, effects: effects.length - left }, size, factsOf),
    ),
  );
  const parts = [...below, ...clips].filter((node) => node !== null);
  // A single layer with all of its effects is the whole picture.
  return [whole, ...parts.filter((node) => node.count < layers.length || node.live)];
}

/** The node of some layers at a cache point; null where there is none, or where a file could not hold its picture. */
export function nodeAt(
  layers: readonly Layer[],
  point: CachePoint,
  size: FrameSize,
  factsOf: FactsOf,
): CacheNode | null {
  const at = layers.findIndex(({ clipId }) => clipId === point.clipId);
  const layer = layers[at];
  if (!layer) return null;
  if (point.kind === 'clip') return clipNode(layer, at, point, size, factsOf);
  // A transition needs the clip below it for itself.
  if (at === 0 || layer.mix) return null;
  return { point, layers: layers.slice(0, at), first: 0, count: at, live: null };
}

function clipNode(
  layer: Layer,
  at: number,
  point: CachePoint,
  size: FrameSize,
  factsOf: FactsOf,
): CacheNode | null {
  const done = Math.min(layer.effects.length, point.effects ?? layer.effects.length);
  const [rendered, left] = [layer.effects.slice(0, done), layer.effects.slice(done)];
  const alone: Layer = { ...layer, effects: rendered, mix: null };
  const facts = factsOf(layer.sourceId);
  if (!facts?.picture || !coversFrame(alone, facts, size) || left.some(isTemporal)) return null;
  const isPlaced = left.some(({ kind }) => PLACING.includes(kind));
  // What is placed later needs all of the picture, and as many pixels as when it is made live.
  if (isPlaced && !(isExact(alone, size, factsOf) && isWithin(layer, size, factsOf))) return null;
  const live = left.length ? { ...layer, effects: left } : null;
  return { point: { ...point, effects: done }, layers: [alone], first: at, count: 1, live };
}

/** Whether a layer's picture is exactly as large as the frame. */
function isExact(layer: Layer, size: FrameSize, factsOf: FactsOf): boolean {
  return layerStages(layer, factsOf(layer.sourceId)!, size).every(({ pose: { placement } }) => {
    if (!placement) return false;
    const { x, y, width, height } = placement;
    return x === 0 && y === 0 && width === size.width && height === size.height;
  });
}

/** Whether a layer is made with no more pixels than the frame has. */
function isWithin(layer: Layer, size: FrameSize, factsOf: FactsOf): boolean {
  const { raster } = layerStages(layer, factsOf(layer.sourceId)!, size)[0].pose;
  return raster.width <= size.width && raster.height <= size.height;
}

/** What is rendered of a graph for a cache point: the whole picture where a stretch has no such node. */
export function graphAt(graph: RenderGraph, point: CachePoint | undefined, factsOf: FactsOf): RenderGraph {
  if (!point) return graph;
  const stretches = graph.stretches.map((stretch) => ({
    ...stretch,
    layers: nodeAt(stretch.layers, point, graph.size, factsOf)?.layers ?? stretch.layers,
  }));
  return { ...graph, stretches };
}
