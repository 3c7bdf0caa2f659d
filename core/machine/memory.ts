/** Shares of the memory that Hone may use, bytes. */
export interface MemoryShares {
  readonly ceilingBytes: number;
  /** Pictures that wait to be shown. */
  readonly framePoolBytes: number;
  /** Pictures that were shown, and are kept for the next run. */
  readonly keptPictureBytes: number;
  /** Read-ahead of each decode worker. */
  readonly readAheadBytes: number;
  readonly decodeWorkers: number;
  /** Threads of one ffmpeg. */
  readonly ffmpegThreads: number;
}

/** The shares of pictures that are made. */
export type PictureShares = Pick<MemoryShares, 'framePoolBytes' | 'keptPictureBytes'>;

const GIB = 2 ** 30;
const MIB = 2 ** 20;
/** Below this the player could not hold the frames that it needs. */
export const LOWEST_CEILING = 1e9;
/** The page, its workers' code and the server take about this much by themselves. */
const STANDING_BYTES = 400 * MIB;
/** A decoder of 3840 × 2160 holds about seventeen frames of 12.4 MB. */
const DECODER_BYTES = 220 * MIB;
/** Memory of one more ffmpeg thread at 3840 × 2160. */
const THREAD_BYTES = 60 * MIB;
/** Threads that decode whole frames wait for each other's references: one for each core leaves a tenth of two cores idle. */
const THREADS_PER_CORE = 2;

/** Largest shares of buffers and read-ahead: a higher ceiling does not raise them. */
export const MAX_FRAME_POOL_BYTES = 256 * MIB;
export const MAX_READ_AHEAD_BYTES = 96 * MIB;
/** Twenty seconds at 24 frames/s of 960 × 540 pixels; what is shared by the workers ends at two gibibytes. */
const MAX_KEPT_BYTES = 512 * MIB;

/** A sensible ceiling: half of the machine's memory, at least one and at most eight gibibytes. */
export function usualCeiling(memoryBytes: number): number {
  return Math.min(8 * GIB, Math.max(LOWEST_CEILING, Math.floor(memoryBytes / 2 / MIB) * MIB));
}

/**
 * Shares out a ceiling among page, workers, server and ffmpeg, which together keep to it.
 * @param cores of the machine
 */
export function memoryShares(ceilingBytes: number, cores: number): MemoryShares {
  const free = Math.max(0, Math.max(LOWEST_CEILING, ceilingBytes) - STANDING_BYTES);
  const decodeWorkers = Math.max(1, Math.min(4, cores - 1, Math.floor((0.4 * free) / DECODER_BYTES)));
  const pictureBytes = Math.floor(0.2 * free);
  const framePoolBytes = Math.min(MAX_FRAME_POOL_BYTES, pictureBytes);
  return {
    ceilingBytes,
    framePoolBytes,
    keptPictureBytes: Math.min(MAX_KEPT_BYTES, pictureBytes - framePoolBytes),
    readAheadBytes: Math.min(MAX_READ_AHEAD_BYTES, Math.floor((0.15 * free) / decodeWorkers)),
    decodeWorkers,
    ffmpegThreads: Math.max(
      1,
      Math.min(16, THREADS_PER_CORE * cores, Math.floor((0.2 * free) / THREAD_BYTES)),
    ),
  };
}
