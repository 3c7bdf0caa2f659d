import { describe, expect, it } from 'vitest';
import type { CachedStretchRecord } from '@hone/core/api';
import { rational } from '@hone/core/time';
import { cacheRemovals } from './cache-removals';

const NOW = Date.parse('2026-12-01T12:00:00Z');
const stretch = (id: string, projectId: string, usedAt: string, bytes: number): CachedStretchRecord => ({
  ...{ id, projectId, usedAt, bytes, madeAt: usedAt, madeInMs: 100, format: 'intra H.264' },
  ...{ rate: rational(24), size: { width: 320, height: 180 }, frameCount: 96, content: [] },
});
const STRETCHES = [
  stretch('a', 'open', '2026-12-01T11:00:00Z', 10),
  stretch('b', 'open', '2026-11-29T11:00:00Z', 20),
  stretch('c', 'other', '2026-10-01T11:00:00Z', 40),
];
const PROJECTS = [
  { id: 'open', name: 'Open' },
  { id: 'other', name: 'Other' },
];
const textOf = (...from: Parameters<typeof cacheRemovals>): string[] =>
  cacheRemovals(...from).map(({ name, ids, bytes }) => `${name}: ${ids.join(' ')}, ${bytes}`);

describe('Deleting from the render cache', () => {
  it('goes by use, age and project, each with what it frees', () => {
    expect(textOf(STRETCHES, new Set(['a']), PROJECTS, NOW)).toEqual([
      'Not played by this timeline: b c, 60',
      'Not used for 1 day: b c, 60',
      'Not used for 7 days: c, 40',
      'Not used for 30 days: c, 40',
      'Of project “Open”: a b, 30',
      'Of project “Other”: c, 40',
      'All: a b c, 70',
    ]);
  });

  it('leaves out rules that free nothing, and knows projects that are gone', () => {
    expect(textOf([STRETCHES[0]!], new Set(['a']), PROJECTS, NOW)).toEqual(['All: a, 10']);
    expect(textOf([STRETCHES[0]!], new Set(['a']), [], NOW)).toEqual([
      'Of deleted projects: a, 10',
      'All: a, 10',
    ]);
    expect(textOf([], new Set(), PROJECTS, NOW)).toEqual([]);
  });
});
