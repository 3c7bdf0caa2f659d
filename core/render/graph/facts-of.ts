import type { SourceFacts } from '../../media/index.js';

/** Looks up the facts of a source. */
export type FactsOf = (sourceId: string) => SourceFacts | undefined;

/** Looks up the facts of some sources. */
export function factsIn(
  sources: Iterable<{ readonly id: string; readonly facts: SourceFacts | null }>,
): FactsOf {
  const facts = new Map<string, SourceFacts | null>();
  for (const source of sources) facts.set(source.id, source.facts);
  return (sourceId) => facts.get(sourceId) ?? undefined;
}
