import { randomUUID } from 'node:crypto';
import { mkdir, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';
import type { ExportEstimate } from '@hone/core/api';
import {
  bytesByRate,
  CODEC_CHOICES,
  deliveryRemarks,
  exportCommand,
  pieceOf,
  samplePieces,
  soundBits,
  type ExportGraph,
  factsIn,
} from '@hone/core/render';
import { toNumber } from '@hone/core/time';
import { effectAssets } from '../effects/effect-assets.js';
import type { TableStore } from '../effects/table-store.js';
import { inputArguments } from '../ffmpeg/input.js';
import type { SourceRow } from '../media/source-store.js';
import type { MemoryLimits } from '../rig/limits.js';
import { runRender } from '../ffmpeg/run-render.js';

interface EstimateParts {
  readonly graph: ExportGraph;
  readonly sources: ReadonlyMap<string, SourceRow>;
  readonly tables: TableStore;
  readonly limits: MemoryLimits;
  readonly ffmpeg: string;
  /** Where pieces are made. */
  readonly folder: string;
  readonly signal: AbortSignal;
}

/** Predicts the size of an export: from its bit rate, or by making pieces of it with the same filters and encoder. */
export async function estimateExport(parts: EstimateParts): Promise<ExportEstimate> {
  const { graph, sources, signal } = parts;
  const factsOf = factsIn(sources.values());
  const said = bytesByRate(graph);
  if (said !== null) return { bytes: said, sampledFrames: 0, remarks: deliveryRemarks(graph, factsOf, said) };
  const folder = join(parts.folder, `sample-${randomUUID()}`);
  await mkdir(folder, { recursive: true });
  try {
    const threads = await parts.limits.decoderArguments();
    let [bytes, frames] = [0, 0];
    for (const [from, to] of samplePieces(graph)) {
      const piece = { ...graph, graph: pieceOf(graph.graph, from, to) };
      const assets = {
        ...(await effectAssets(piece.graph, parts.tables, folder)),
        inputOf: (id: string) => [...threads, ...inputArguments(sources.get(id)!)],
        factsOf,
      };
      const command = exportCommand(piece, assets);
      const path = join(folder, `piece.${CODEC_CHOICES[graph.delivery.codec].ending}`);
      await runRender(command, path, { ffmpeg: parts.ffmpeg, assets, folder, signal });
      bytes += (await stat(path)).size;
      frames += to - from;
    }
    // Silence takes next to nothing, so that the sound is added as what its encoder is told.
    const perFrame = bytes / frames + soundBits(graph.delivery.codec) / 8 / toNumber(graph.graph.rate);
    const whole = Math.round(perFrame * graph.graph.length);
    return { bytes: whole, sampledFrames: frames, remarks: deliveryRemarks(graph, factsOf, whole) };
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}
