import { PacketIndex } from '@hone/core/media';
import { toNumber } from '@hone/core/time';
import { Router, type Request, type Response } from 'express';
import { PacketReads } from '../drives/packet-reads.js';
import type { DriveSimulation } from '../drives/simulation.js';
import type { FfmpegHardware } from '../ffmpeg/hardware.js';
import { UserError } from '../http/problems.js';
import type { MemoryLimits } from '../rig/limits.js';
import { stretchOrigin } from '../render-cache/stretch-origin.js';
import type { StretchStore } from '../render-cache/stretch-store.js';
import { writeFrames, type FrameOrigin, type FrameRequest } from './frames.js';
import type { SourceRow, SourceStore } from './source-store.js';

const LARGEST_SIDE = 16_384;

interface FrameParts {
  readonly sources: SourceStore;
  readonly stretches: StretchStore;
  readonly ffmpeg: string;
  readonly simulation: DriveSimulation;
  readonly limits: MemoryLimits;
  readonly hardware: FfmpegHardware;
}

/** Decoded frames of sources and cached stretches, for what the browser does not decode. */
export function frameRoutes(parts: FrameParts): Router {
  const { sources, stretches, ffmpeg, simulation, limits, hardware } = parts;
  const router = Router();

  const deliver = async (
    { query }: Request,
    response: Response,
    origin: FrameOrigin,
    readerFrom: (from: number, signal: AbortSignal) => Promise<FrameRequest['read']>,
  ): Promise<void> => {
    const [from, width, height] = ['from', 'width', 'height'].map((name) => Number(query[name]));
    const until = query['until'] === undefined ? undefined : Number(query['until']);
    const isSide = (side: number): boolean => Number.isInteger(side) && side >= 2 && side <= LARGEST_SIDE;
    const isTime = (time: number | undefined): boolean => Number.isFinite(time) && time! >= 0;
    if (!isTime(from) || !isTime(until ?? 0) || !isSide(width!) || !isSide(height!)) {
      const detail = `Frames are asked for from a second on, in whole pixels of 2 to ${LARGEST_SIDE} on a side.`;
      throw new UserError(400, 'Frames not understood', detail);
    }
    const abort = new AbortController();
    response.on('close', () => abort.abort());
    response.type('application/octet-stream');
    try {
      await writeFrames(origin, response, {
        ffmpeg,
        ...{ from: from!, until },
        size: { width: width!, height: height! },
        threads: (await limits.shares()).ffmpegThreads,
        hardware: (await hardware.paths()).decoding(origin.facts!.picture!.codec),
        signal: abort.signal,
        read: await readerFrom(from!, abort.signal),
      });
    } catch (error) {
      // Whoever asked has gone meanwhile, also while a simulated drive was waited for.
      if (!abort.signal.aborted) throw error;
    }
    if (!abort.signal.aborted) response.end();
  };

  router.get('/frames/:id', async (request, response) => {
    const row = await sources.readable(request.params.id);
    if (!row.facts?.picture) throw new UserError(409, 'Not decoded', `"${row.name}" has no picture.`);
    await deliver(request, response, row, (from, signal) => readerOf(row, from, sources, simulation, signal));
  });

  router.get('/stretch-frames/:id', async (request, response) => {
    const row = await stretches.played(request.params.id);
    await deliver(request, response, stretchOrigin(row), async (from, signal) => {
      const { drive } = simulation;
      if (!drive) return undefined;
      await drive.begin(signal);
      const bytes = row.bytes / row.frameCount;
      const first = Math.floor(from * toNumber(row.rate));
      return (frame) => drive.read(row.path, Math.floor((first + frame) * bytes), Math.ceil(bytes), signal);
    });
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
