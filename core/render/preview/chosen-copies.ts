import { copyPixels, previewPixels, type Tuning } from '../../levers/index.js';
import { fittingDivisor, shownSize, type CopyDivisor, type SourceFacts } from '../../media/index.js';
import type { Timeline } from '../../timeline/index.js';
import { largestRaster } from '../graph/layer.js';

/** Properties of a light copy that decide whether it is played. */
export interface ChoosableCopy {
  readonly sourceId: string;
  readonly state: string;
  readonly width: number;
}

/**
 * The light copy that replaces each source: the smallest that has every pixel of the preview while it plays, or else
 * the largest. Sources without a copy that is ready have none.
 */
export function chosenCopies<C extends ChoosableCopy>(
  timeline: Timeline,
  tuning: Tuning,
  sources: readonly { readonly id: string; readonly facts: SourceFacts | null }[],
  copies: readonly C[],
): ReadonlyMap<string, C> {
  const chosen = new Map<string, C>();
  const frame = previewPixels(timeline.size, tuning, 'playing');
  for (const { id, facts } of sources) {
    if (!facts?.picture) continue;
    const own = copies.filter((copy) => copy.sourceId === id && copy.state === 'ready');
    if (own.length === 0) continue;
    const wanted = largestRaster(timeline, id, facts, frame);
    own.sort((a, b) => a.width - b.width);
    chosen.set(id, own.find((copy) => copy.width >= wanted.width) ?? own.at(-1)!);
  }
  return chosen;
}

/**
 * Divisor of the light copy of a source: the largest at which it has every pixel that the copy size of the project asks
 * for; 1 for a source that is no larger than that, or has no picture.
 */
export function copyDivisorFor(
  timeline: Timeline,
  tuning: Pick<Tuning, 'copyScale'>,
  sourceId: string,
  facts: SourceFacts,
): CopyDivisor {
  if (!facts.picture) return 1;
  const frame = copyPixels(timeline.size, tuning);
  return fittingDivisor(shownSize(facts.picture), largestRaster(timeline, sourceId, facts, frame));
}
