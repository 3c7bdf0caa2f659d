/** What a benchmark can be told. */
export interface BenchOptions {
  /** Folder of sources and timelines to take instead of its own. */
  readonly folder?: string | undefined;
  /** Of what is made by chance; another one each time when it is not given. */
  readonly seed?: number | undefined;
  /** Number of cases that are made by chance. */
  readonly random?: number | undefined;
  /** Whether cases that are always the same are played as well. */
  readonly fixed?: 'all' | 'none' | undefined;
}
