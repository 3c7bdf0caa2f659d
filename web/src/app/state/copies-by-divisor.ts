import type { WantedCopy } from '@hone/core/findings';
import type { CopyDivisor } from '@hone/core/media';
import type { CopyRow } from './selectors';

/** Sources that need copies, by divisor: copies of one divisor are requested together. */
export function copiesByDivisor(copies: readonly WantedCopy[]): ReadonlyMap<CopyDivisor, string[]> {
  const groups = new Map<CopyDivisor, string[]>();
  for (const { sourceId, divisor } of copies) groups.set(divisor, [...(groups.get(divisor) ?? []), sourceId]);
  return groups;
}

/** The same for rows of sources. */
export const rowsByDivisor = (
  rows: readonly Pick<CopyRow, 'source' | 'divisor'>[],
): ReturnType<typeof copiesByDivisor> =>
  copiesByDivisor(rows.map(({ source, divisor }) => ({ sourceId: source.id, divisor })));
