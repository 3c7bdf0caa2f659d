import { min, minIndex, sum } from 'd3-array';

/** Something kept, by what decides how long it stays. */
export interface Evictable {
  readonly id: string;
  readonly bytes: number;
  /** Time to make it again, ms. */
  readonly madeInMs: number;
  /** Number of uses, the first being that it was made. */
  readonly uses: number;
  /** See `priorityOf`; what has the lowest goes first. */
  readonly priority: number;
}

/**
 * Weight of value against recency, 1/β of GreedyDual*. On traces after Zipf, more keeps more of what is wanted often; with
 * 1.5, traces whose favourites change lose a hundredth of the bytes found.
 */
const VALUE_EXPONENT = 1.5;

/**
 * Priority after a use, by GreedyDual* (Jin and Bestavros 2001, after Cao and Irani 1997): a power of the seconds saved for
 * each megabyte, for each use, on top of a clock that rises with what was evicted, so that old uses count less.
 */
export const priorityOf = (
  clock: number,
  { bytes, madeInMs, uses }: Omit<Evictable, 'id' | 'priority'>,
): number => clock + ((1e3 * uses * madeInMs) / Math.max(1, bytes)) ** VALUE_EXPONENT;

/** Clock of a cache: the priority that was reached by what goes next. */
export const clockOf = (kept: readonly Pick<Evictable, 'priority'>[]): number =>
  min(kept, ({ priority }) => priority) ?? 0;

/**
 * What has to go so that the rest fits.
 * @param capacityBytes room for everything
 * @param isProtected what stays in any case
 * @returns identifiers, the least valuable first; what is protected may still be too much
 */
export function evictionsFor(
  kept: readonly Evictable[],
  capacityBytes: number,
  isProtected: (id: string) => boolean,
): string[] {
  let bytes = sum(kept, (each) => each.bytes);
  const candidates = kept.filter(({ id }) => !isProtected(id));
  const gone: string[] = [];
  while (bytes > capacityBytes && candidates.length) {
    const [victim] = candidates.splice(
      minIndex(candidates, ({ priority }) => priority),
      1,
    );
    bytes -= victim!.bytes;
    gone.push(victim!.id);
  }
  return gone;
}
