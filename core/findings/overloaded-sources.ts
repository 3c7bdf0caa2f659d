import type { FrameLog } from '../playback/index.js';
import { frameBudgetMs } from '../playback/index.js';
import type { RenderGraph } from '../render/index.js';

/** Share of the frame budget beyond which reading and decoding a source leave too little for cuts and other work. */
export const OVERLOAD_SHARE = 0.6;

/**
 * The sources that a lighter copy would relieve: those whose frames took more than `NEEDY_LOAD` of the frame budget to
 * read and decode in a run, on the mean of the frames that the decoder worked for.
 * @returns identifiers, the heaviest first
 */
export function overloadedSources(log: FrameLog, graph: RenderGraph): string[] {
  const budgetMs = frameBudgetMs(graph.rate);
  const sums = new Map<string, { ms: number; frames: number }>();
  for (const { from, to, layers } of graph.stretches) {
    for (
      let frame = Math.max(from, log.firstFrame);
      frame < Math.min(to, log.firstFrame + log.length);
      frame++
    ) {
      if (log.get(frame, 'decoded') === 0) continue;
      for (const { sourceId } of layers) {
        const sum = sums.get(sourceId) ?? { ms: 0, frames: 0 };
        // Layers share the row of their frame; each is charged its part.
        sum.ms += (log.get(frame, 'read') + log.get(frame, 'decode')) / layers.length;
        sum.frames++;
        sums.set(sourceId, sum);
      }
    }
  }
  const load = ({ ms, frames }: { ms: number; frames: number }): number => ms / frames / budgetMs;
  return [...sums]
    .filter(([, sum]) => load(sum) > OVERLOAD_SHARE)
    .sort(([, a], [, b]) => load(b) - load(a))
    .map(([sourceId]) => sourceId);
}
