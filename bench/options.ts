/** Options of a benchmark. */
export interface BenchOptions {
  /** Folder of sources and timelines to take instead of its own. */
  readonly folder?: string | undefined;
  /** Seed of the random cases; a new one each time by default. */
  readonly seed?: number | undefined;
  /** Number of random cases. */
  readonly random?: number | undefined;
  /** Whether cases that are always the same are played as well. */
  readonly fixed?: 'all' | 'none' | undefined;
}
