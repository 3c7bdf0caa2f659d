import { PacketIndex } from '@hone/core/media';
import { toNumber } from '@hone/core/time';
import { Router } from 'express';
import { PacketReads } from '../drives/packet-reads.js';
import type { DriveSimulation } from '../drives/simulation.js';
import type { FfmpegHardware } from '../ffmpeg/hardware.js';
import { UserError } from '../http/problems.js';
import type { MemoryLimits } from '../rig/limits.js';
import { writeFrames, type FrameRequest } from './frames.js';
import type { SourceRow, SourceStore } from './source-store.js';

const LARGEST_SIDE = 16_384;

/** Decoded frames of sources, for what the browser does not decode. */
export function frameRoutes(
  sources: SourceStore,
  ffmpeg: string,
  simulation: DriveSimulation,
  limits: MemoryLimits,
  hardware: FfmpegHardware,
): Router {
  const router = Router();

  router.get('/frames/:id', async (request, response) => {
    const row = await sources.readable(request.params.id);
    if (!row.facts?.picture) throw new UserError(409, 'Not decoded', `"${row.name}" has no picture.`);
    const [from, width, height] = ['from', 'width', 'height'].map((name) => Number(request.query[name]));
    const isSide = (side: number): boolean => Number.isInteger(side) && side >= 2 && side <= LARGEST_SIDE;
    if (!Number.isFinite(from) || from! < 0 || !isSide(width!) || !isSide(height!)) {
      const detail = `Frames are asked for from a second on, in whole pixels of 2 to ${LARGEST_SIDE} on a side.`;
      throw new UserError(400, 'Frames not understood', detail);
    }
    const abort = new AbortController();
    response.on('close', () => abort.abort());
    response.type('application/octet-stream');
    try {
      await writeFrames(row, response, {
        ffmpeg,
        from: from!,
        size: { width: width!, height: height! },
        threads: (await limits.shares()).ffmpegThreads,
        hardware: (await hardware.paths()).decoding(row.facts.picture.codec),
        signal: abort.signal,
        read: await readerOf(row, from!, sources, simulation, abort.signal),
      });
    } catch (error) {
      // Whoever asked has gone meanwhile, also while a simulated drive was waited for.
      if (!abort.signal.aborted) throw error;
    }
    if (!abort.signal.aborted) response.end();
  });

  return router;
}

// ffmpeg reads the file itself, so what it reads for each frame is passed through the simulated drive before that goes out.
async function readerOf(
  row: SourceRow,
  from: number,
  sources: SourceStore,
  { drive }: DriveSimulation,
  signal: AbortSignal,
): Promise<FrameRequest['read']> {
  const packets = drive && (await sources.packetsOf(row));
  if (!drive || !packets) return undefined;
  const reads = new PacketReads(PacketIndex.from(packets));
  const first = Math.floor(from * toNumber(row.facts!.picture!.rate));
  await drive.begin(signal);
  return async (frame) => {
    const read = reads.readFor(first + frame);
    if (read) await drive.read(row.path, read.from, read.bytes, signal);
  };
}
