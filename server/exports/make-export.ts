import { mkdir, mkdtemp, rm } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { exportCommand, exportGraph, exportSources, factsIn } from '@hone/core/render';
import { effectAssets } from '../effects/effect-assets.js';
import type { TableStore } from '../effects/table-store.js';
import { inputArguments, leadingFile } from '../ffmpeg/input.js';
import type { FfmpegTools } from '../ffmpeg/process.js';
import { hashOf } from '../media/hash.js';
import { exactState, fileState } from '../media/identity.js';
import { fileStamp, type SourceRow, type SourceStore } from '../media/source-store.js';
import type { JobHandler } from '../jobs/queue.js';
import type { MemoryLimits } from '../rig/limits.js';
import { writeAside } from '../store/aside.js';
import type { ExportStore } from './export-store.js';
import { proofOf } from './proof.js';
import { runRender } from '../ffmpeg/run-render.js';

/** Shares of the work, by what it takes on a small machine. */
const HASHED = 0.04;
const ENCODED = 0.8;

interface ExportParts {
  readonly sources: SourceStore;
  readonly exports: ExportStore;
  readonly tables: TableStore;
  readonly limits: MemoryLimits;
  readonly tools: FfmpegTools;
  /** Folder for temporary files. */
  readonly scratch: string;
}

/**
 * Makes an export. It is given the timeline and the delivery as they were when it was asked for, and it has no way to
 * learn of a tuning or of a light copy.
 */
export function exportHandler({ sources, exports, tables, limits, tools, scratch }: ExportParts): JobHandler {
  return {
    kind: 'export',
    lane: 'heavy',
    priority: 9,
    async run({ job, signal, progress }) {
      const row = await exports.get(job.subjectId);
      const known = new Map((await sources.list(row.projectId)).map((source) => [source.id, source]));
      const factsOf = factsIn(known.values());
      const graph = exportGraph(row.timeline, row.delivery, factsOf);
      const originals: SourceRow[] = [];
      await mustBeThere(exportSources(graph).map((id) => known.get(id)!));
      for (const id of exportSources(graph)) {
        const original = await withHash(await sources.resolved(known.get(id)!), sources, signal);
        known.set(id, original);
        originals.push(original);
        progress((HASHED * originals.length) / exportSources(graph).length);
      }
      const before = await Promise.all(originals.map(exactState));
      const threads = await limits.decoderArguments();
      const inputOf = (id: string): string[] => [...threads, ...inputArguments(known.get(id)!)];
      await mkdir(scratch, { recursive: true });
      const folder = await mkdtemp(join(scratch, 'export-'));
      try {
        const assets = { ...(await effectAssets(graph.graph, tables, folder)), inputOf, factsOf };
        const command = exportCommand(graph, assets);
        await mkdir(dirname(row.path), { recursive: true });
        const proof = await writeAside(row.path, async (aside) => {
          await runRender(command, aside, {
            ...{ ffmpeg: tools.ffmpeg, assets, folder, signal },
            onFrame: (frame) => progress(HASHED + (ENCODED - HASHED) * (frame / graph.graph.length)),
          });
          await mustBeUnchanged(originals, before);
          const evidence = await proofOf({
            ...{ graph, command, assets, sources: known, exported: aside, scratch: folder, tools, signal },
            progress: (done) => progress(ENCODED + (1 - ENCODED) * done),
          });
          await mustBeUnchanged(originals, before);
          return evidence;
        });
        await exports.change(row, { state: 'ready', proof, bytes: proof.bytes });
      } finally {
        await rm(folder, { recursive: true, force: true });
      }
    },
    async abandoned(subjectId, state) {
      await exports.change(await exports.get(subjectId), { state });
    },
  };
}

// An original that is exchanged while it is read leaves a file that is partly of one and partly of the other.
async function mustBeUnchanged(
  originals: readonly SourceRow[],
  before: readonly (string | undefined)[],
): Promise<void> {
  const after = await Promise.all(originals.map(exactState));
  const changed = originals.filter((_, at) => after[at] !== before[at]).map(({ name }) => `"${name}"`);
  if (changed.length === 0) return;
  throw new Error(
    `${changed.join(', ')} changed while it was exported, so the file was not kept. Leave the originals alone, then export again.`,
  );
}

// One error lists all missing files, so that they can be restored in one go.
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
  const contentHash = await hashOf(source, signal);
  await sources.change(source, { contentHash });
  return { ...source, contentHash };
}
