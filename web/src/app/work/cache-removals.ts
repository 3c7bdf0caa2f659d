import { sum } from 'd3-array';
import type { CachedStretchRecord, ProjectEntry } from '@hone/core/api';
import { count } from '../formatting/quantities';

/** Cached stretches that are deleted together. */
export interface CacheRemoval {
  readonly name: string;
  readonly ids: readonly string[];
  readonly bytes: number;
}

const DAY_MS = 86_400_000;
/** Days without a use that are offered as rules. */
const DAYS = [1, 7, 30] as const;

/**
 * What can be deleted from the render cache by rule, without rules that delete nothing.
 * @param playing identifiers of stretches that the open timeline plays
 * @param now ms since 1970
 */
export function cacheRemovals(
  stretches: readonly CachedStretchRecord[],
  playing: ReadonlySet<string>,
  projects: readonly Pick<ProjectEntry, 'id' | 'name'>[],
  now: number,
): CacheRemoval[] {
  const removal = (name: string, isGone: (each: CachedStretchRecord) => boolean): CacheRemoval => {
    const gone = stretches.filter(isGone);
    return { name, ids: gone.map(({ id }) => id), bytes: sum(gone, ({ bytes }) => bytes) };
  };
  const names = new Map(projects.map(({ id, name }) => [id, name]));
  const owners = [...new Set(stretches.map(({ projectId }) => projectId))];
  const ofProjects = owners
    .filter((id) => names.has(id))
    .map((id) => removal(`Of project “${names.get(id)!}”`, ({ projectId }) => projectId === id));
  return [
    removal('Not played by this timeline', ({ id }) => !playing.has(id)),
    ...DAYS.map((days) =>
      removal(
        `Not used for ${count(days, 'day', 'days')}`,
        ({ usedAt }) => Date.parse(usedAt) < now - days * DAY_MS,
      ),
    ),
    ...(owners.length > 1 ? ofProjects : []),
    removal('Of deleted projects', ({ projectId }) => !names.has(projectId)),
    removal('All', () => true),
  ].filter(({ ids }) => ids.length > 0);
}
