import {
  codedSize,
  INTRA_H264,
  type CopyLayout,
  type PictureStructure,
  type SourceFacts,
} from '../media/index.js';
import type { FrameLog, RunFacts } from '../playback/index.js';
import type { RenderGraph } from '../render/index.js';
import type { DecodeObservation } from './refine.js';

/** Properties of a played source that its decode cost depends on. */
interface Played {
  readonly id: string;
  readonly facts: SourceFacts | null;
  readonly structure: PictureStructure | null;
}

/** Properties of a played light copy that its decode cost depends on. */
interface PlayedCopy extends CopyLayout {
  readonly sourceId: string;
  readonly state: string;
  readonly width: number;
  readonly height: number;
  readonly bytes: number;
}

/** Fewer pictures say too little about a decoder. */
const FEWEST = 24;

/**
 * Decode observations of a run: mean cost of a picture, for each source that was seen alone for long enough.
 * @param graph that was played
 */
export function decodeObservations(
  log: FrameLog,
  facts: RunFacts,
  graph: RenderGraph,
  sources: readonly Played[],
  copies: readonly PlayedCopy[],
): DecodeObservation[] {
  const sums = new Map<string, { ms: number; pictures: number }>();
  for (const { from, to, layers } of graph.stretches) {
    const only = layers.length === 1 ? layers[0] : undefined;
    if (!only) continue;
    const sum = sums.get(only.sourceId) ?? { ms: 0, pictures: 0 };
    for (
      let frame = Math.max(from, log.firstFrame);
      frame < Math.min(to, log.firstFrame + log.length);
      frame++
    ) {
      if (log.get(frame, 'settled') === 0) continue;
      sum.ms += log.get(frame, 'decode');
      sum.pictures += log.get(frame, 'decoded');
    }
    sums.set(only.sourceId, sum);
  }
  return [...sums].flatMap(([id, { ms, pictures }]) => {
    const source = sources.find((each) => each.id === id);
    const picture = source?.facts?.picture;
    if (!source || !picture || pictures < FEWEST) return [];
    const decoder = facts.serverDecoded.includes(id) ? ('server' as const) : ('browser' as const);
    const isCopied = facts.copiedSources.includes(id);
    const copy = isCopied ? copies.find((each) => each.sourceId === id && each.state === 'ready') : undefined;
    if (isCopied && !copy) return [];
    const what = copy
      ? {
          ...{
            ...INTRA_H264,
            chroma: '4:2:0',
            bitDepth: 8,
            ...codedSize(copy),
          },
          bitsPerFrame: (8 * copy.bytes) / Math.max(1, picture.frameCount),
        }
      : {
          ...{
            codec: picture.codec,
            profile: picture.profile,
            chroma: picture.chroma,
            bitDepth: picture.bitDepth,
          },
          ...picture.size,
          bitsPerFrame: source.structure?.bitsPerFrame ?? 0,
        };
    return what.bitsPerFrame > 0 ? [{ decoder, ...what, msPerFrame: ms / pictures }] : [];
  });
}
