import type { CopyEstimate } from '@hone/core/api';
import { sum } from 'd3-array';

/** What light copies take together: seconds to make them, and bytes. */
type CopyPrice = Pick<CopyEstimate, 'seconds' | 'bytes'>;

/** Price of several copies; null until each of them is estimated, and for none. */
export function priceOf(estimates: readonly (CopyEstimate | null | undefined)[]): CopyPrice | null {
  const known = estimates.flatMap((each) => each ?? []);
  if (known.length === 0 || known.length < estimates.length) return null;
  return { seconds: sum(known, ({ seconds }) => seconds), bytes: sum(known, ({ bytes }) => bytes) };
}
