import { cutsOf, type RenderGraph } from '../graph/graph.js';

/** A frame of an export that is compared with its original, and why it was chosen. */
export interface ChosenFrame {
  readonly frame: number;
  readonly reason: 'spread' | 'before cut' | 'after cut';
}

/** Frames that are spread evenly over the timeline, besides those at cuts. */
export const SPREAD_PROOF_FRAMES = 24;
/** Most cuts with a proof frame on either side; of more, cuts at equal distances are taken. */
const MOST_CUTS = 60;

/** The frames of an export that are compared with the originals: spread over it, and both sides of each cut. */
export function proofFrames(graph: RenderGraph): ChosenFrame[] {
  const chosen = new Map<number, ChosenFrame['reason']>();
  const count = Math.min(SPREAD_PROOF_FRAMES, graph.length);
  for (let index = 0; index < count; index++) {
    chosen.set(Math.floor(((index + 0.5) * graph.length) / count), 'spread');
  }
  const cuts = cutsOf(graph);
  const step = Math.max(1, Math.ceil(cuts.length / MOST_CUTS));
  for (let index = 0; index < cuts.length; index += step) {
    chosen.set(cuts[index]! - 1, 'before cut');
    chosen.set(cuts[index]!, 'after cut');
  }
  return [...chosen].map(([frame, reason]) => ({ frame, reason })).sort((a, b) => a.frame - b.frame);
}
