import { sum } from 'd3-array';
import { effectsDone, type KnownEffect } from '../render/index.js';
import type { Timeline } from '../timeline/index.js';
import type { CacheNode } from './cache-point.js';

/** The effect of a clip that was changed last. */
export interface AdjustedEffect {
  readonly clipId: string;
  /** Number of enabled effects of the clip in front of it: what is rendered with fewer or as many does not hold it. */
  readonly before: number;
}

/**
 * The effect that was changed last by an edit.
 * @param past the timeline before each edit, the latest last
 * @returns null where no edit changed an effect
 */
export function adjustedEffect(now: Timeline, past: readonly Timeline[]): AdjustedEffect | null {
  let after = now;
  for (const before of past.toReversed()) {
    const known = effectsByClip(before);
    for (const [clipId, effects] of effectsByClip(after)) {
      const former = known.get(clipId);
      const changed = former && firstDifference(former, effects);
      if (changed !== undefined) return { clipId, before: changed };
    }
    after = before;
  }
  return null;
}

const effectsByClip = ({ tracks }: Timeline): ReadonlyMap<string, readonly KnownEffect[]> =>
  new Map(
    tracks
      .filter(({ kind }) => kind === 'picture')
      .flatMap(({ clips }) => clips.map(({ id, effects }) => [id, effectsDone(effects)] as const)),
  );

function firstDifference(one: readonly KnownEffect[], other: readonly KnownEffect[]): number | undefined {
  const longest = Math.max(one.length, other.length);
  for (let at = 0; at < longest; at++)
    if (one[at] !== other[at] && JSON.stringify(one[at]) !== JSON.stringify(other[at])) return at;
  return undefined;
}

/**
 * The node that saves most of those that do not hold the effect that is still being adjusted: the one with the most
 * expensive effects, and of equal ones that with the most layers.
 * @param msOf expected time of an effect for each picture, ms; 0 where it is not known
 */
export function proposedNode(
  nodes: readonly CacheNode[],
  adjusted: AdjustedEffect | null,
  msOf: (effect: KnownEffect) => number,
): CacheNode | null {
  const open = nodes.filter(({ layers }) =>
    layers.every(({ clipId, effects }) => clipId !== adjusted?.clipId || effects.length <= adjusted.before),
  );
  const gainOf = ({ layers }: CacheNode): number =>
    sum(layers, ({ effects }) => sum(effects, (each) => msOf(each)));
  const better = (one: CacheNode, other: CacheNode): CacheNode => {
    const more = gainOf(other) - gainOf(one) || other.layers.length - one.layers.length;
    return more > 0 ? other : one;
  };
  return open.length ? open.reduce(better) : null;
}
