import { mkdir, rename, rm, stat, writeFile } from 'node:fs/promises';
import { exportCommand, exportGraph, exportSources, type FactsOf } from '@hone/core/render';
import { effectAssets } from '../effects/effect-assets.js';
import type { TableStore } from '../effects/table-store.js';
import { probe } from '../ffmpeg/probe.js';
import { inputArguments, leadingFile, plainFile } from '../ffmpeg/input.js';
import { fileArgument, runFfmpeg, type FfmpegTools } from '../ffmpeg/process.js';
import { hashOf } from '../media/hash.js';
import { fileState } from '../media/identity.js';
import { fileStamp, type SourceRow, type SourceStore } from '../media/source-store.js';
import type { JobHandler } from '../jobs/queue.js';
import type { MemoryLimits } from '../rig/limits.js';
import type { ExportRow, ExportStore } from './export-store.js';
import { proofOf } from './proof.js';

const aside = (row: ExportRow): string => `${row.path}.part`;
const drawings = (row: ExportRow): string => `${row.path}.drawings`;
/** Shares of the work, by what it takes on a small machine. */
const HASHED = 0.04;
const ENCODED = 0.8;

interface ExportParts {
  readonly sources: SourceStore;
  readonly exports: ExportStore;
  readonly tables: TableStore;
  readonly limits: MemoryLimits;
  readonly tools: FfmpegTools;
}

/**
 * Makes an export. It is given the timeline and the delivery as they were when it was asked for, and it has no way to
 * learn of a tuning or of a light copy.
 */
export function exportHandler({ sources, exports, tables, limits, tools }: ExportParts): JobHandler {
  return {
    kind: 'export',
    lane: 'heavy',
    priority: 9,
    async run({ job, signal, progress }) {
      const row = await exports.get(job.subjectId);
      const known = new Map((await sources.list(row.projectId)).map((source) => [source.id, source]));
      const factsOf: FactsOf = (id) => known.get(id)?.facts ?? undefined;
      const graph = exportGraph(row.timeline, row.delivery, factsOf);
      const originals = exportSources(graph).map((id) => known.get(id)!);
      await mustBeThere(originals);
      for (const [index, source] of originals.entries()) {
        const hashed = await withHash(source, sources, signal);
        known.set(source.id, hashed);
        progress((HASHED * (index + 1)) / originals.length);
      }
      const threads = await limits.decoderArguments();
      const inputOf = (id: string): string[] => [...threads, ...inputArguments(known.get(id)!)];
      const folder = drawings(row);
      await mkdir(folder, { recursive: true });
      const assets = { ...(await effectAssets(graph.graph, tables, folder)), inputOf, factsOf };
      const command = exportCommand(graph, assets);
      for (const [number, svg] of command.drawings.entries())
        await writeFile(assets.drawingFile(number), svg);
      const { length } = graph.graph;
      await runFfmpeg(tools.ffmpeg, ['-v', 'error', ...command.args, fileArgument(aside(row))], {
        signal,
        onFrame: (frame) => progress(HASHED + (ENCODED - HASHED) * (frame / length)),
      });
      const { size } = await stat(aside(row));
      const facts = await probe(tools.ffprobe, plainFile(aside(row)), size);
      const frameCount = facts.picture?.frameCount ?? 0;
      if (frameCount !== length) {
        throw new Error(
          `The export has ${frameCount} frames where the timeline has ${length}. It was not kept; report this.`,
        );
      }
      const proof = await proofOf({
        graph,
        command,
        assets,
        sources: known,
        exported: aside(row),
        frameCount,
        tools,
        signal,
        progress: (done) => progress(ENCODED + (1 - ENCODED) * done),
      });
      await rm(folder, { recursive: true, force: true });
      await rename(aside(row), row.path);
      await exports.change(row, { state: 'ready', proof, bytes: size });
    },
    async abandoned(subjectId, state) {
      const row = await exports.get(subjectId);
      await rm(aside(row), { force: true });
      await rm(drawings(row), { recursive: true, force: true });
      await exports.change(row, { state });
    },
  };
}

// All that is missing is said at once, so that all can be put back at once.
async function mustBeThere(originals: readonly SourceRow[]): Promise<void> {
  const missing: string[] = [];
  for (const source of originals)
    if (!(await fileState(source))) missing.push(`"${source.name}" at ${leadingFile(source)}`);
  if (missing.length)
    throw new Error(`Originals are missing: ${missing.join(', ')}. Put them back, then export again.`);
}

// The original as it is now, with the hash of what it holds now.
async function withHash(source: SourceRow, sources: SourceStore, signal: AbortSignal): Promise<SourceRow> {
  const now = await fileState(source);
  if (!now) {
    throw new Error(
      `The original of "${source.name}" is not at ${leadingFile(source)}. Put it back, then export again.`,
    );
  }
  if (fileStamp(now) !== fileStamp(source)) {
    throw new Error(`"${source.name}" is another file than when it was added. Add it again, then export.`);
  }
  if (source.contentHash) return source;
  return sources.change(source, { contentHash: await hashOf(source, signal) });
}
