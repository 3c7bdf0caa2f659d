import type { WantedCopy } from '@hone/core/findings';
import type { CopyDivisor } from '@hone/core/media';

/** Sources of which copies are wanted, by the size of the copy: those of one size are asked for together. */
export function copiesByDivisor(copies: readonly WantedCopy[]): ReadonlyMap<CopyDivisor, string[]> {
  const groups = new Map<CopyDivisor, string[]>();
  for (const { sourceId, divisor } of copies) groups.set(divisor, [...(groups.get(divisor) ?? []), sourceId]);
  return groups;
}
