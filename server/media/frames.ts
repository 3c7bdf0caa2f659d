import { once } from 'node:events';
import { constants } from 'node:os';
import { createInterface } from 'node:readline';
import type { Writable } from 'node:stream';
import {
  deinterlacing,
  type CopiedPicture,
  type PictureFacts,
  type SourceFacts,
  FRAME_HEADER_BYTES,
  planarBytes,
  scaleColours,
  straightAlpha,
  writeFrameHeader,
} from '@hone/core/media';
import { toNumber } from '@hone/core/time';
import type { FrameSize } from '@hone/core/timeline';
import { inputArguments, type MediaInput } from '../ffmpeg/input.js';
import { guardInputs } from '../ffmpeg/process.js';
import { lowerPriority, spawnChild } from '../process/spawn-child.js';
import { UserError } from '../http/problems.js';

/** A file whose frames are wanted. */
export interface FrameOrigin extends MediaInput {
  readonly name: string;
  readonly facts:
    (Pick<SourceFacts, 'container' | 'pictureStart'> & { readonly picture: DecodedPicture | null }) | null;
}

type DecodedPicture = CopiedPicture & Pick<PictureFacts, 'codec' | 'size' | 'rate'>;

export interface FrameRequest {
  readonly ffmpeg: string;
  /** Start, seconds from the first frame of the source. */
  readonly from: number;
  /** End, seconds from the first frame; that of the file where undefined. What is decoded behind it is for nothing. */
  readonly until?: number | undefined;
  readonly size: FrameSize;
  /** Threads for ffmpeg's decoder. */
  readonly threads: number;
  /** Arguments that have it decoded in hardware, where it is; ffmpeg goes on in software where that fails. */
  readonly hardware?: readonly string[] | undefined;
  readonly signal: AbortSignal;
  /** Waits for as long as the simulated drive of the source would take to read a frame. */
  readonly read?: ((frame: number) => Promise<void>) | undefined;
}

/** Containers in which a seek may land too late, with an earlier start in seconds. */
const LOOSE_CONTAINERS = ['mpeg', 'mpegts', 'avi', 'flv', 'asf', 'ogg'];
const LOOSE_SECONDS = 2.5;

/**
 * ffmpeg's arguments: decoded frames from a time on, whole, scaled, as planes of 8-bit 4:2:0, with a plane of straight
 * alpha behind them where the source has transparency.
 * @param start seconds from the first frame of the source
 * @param seconds that are decoded; undefined for all
 */
export function frameArguments(
  source: FrameOrigin,
  start: number,
  size: FrameSize,
  threads: number,
  hardware: readonly string[] = [],
  seconds?: number,
): string[] {
  const picture = source.facts!.picture!;
  const scale = `scale=${size.width}:${size.height}:flags=${flagsFor(picture.size, size)}:${scaleColours(picture)}`;
  const format = picture.alpha ? 'yuva420p' : 'yuv420p';
  const filters = `${deinterlacing(picture.scan)}${straightAlpha(picture)}${scale},format=${format},showinfo=checksum=0`;
  return [
    ...['-hide_banner', '-nostdin', '-nostats', '-v', 'info', '-threads', String(threads), '-copyts'],
    ...[...hardware, '-ss', start.toFixed(6)],
    ...(seconds === undefined ? [] : ['-t', seconds.toFixed(6)]),
    ...inputArguments(source),
    ...['-map', '0:v:0', '-an', '-sn', '-vf', filters],
    ...['-fps_mode', 'passthrough', '-f', 'rawvideo', 'pipe:1'],
  ];
}

// Averaging the area of a smaller picture would show its pixels as blocks.
const flagsFor = (from: FrameSize, to: FrameSize): string =>
  to.width * to.height > from.width * from.height ? 'bicubic' : 'area';

/** Frames that the connection may buffer before ffmpeg waits. */
const MOST_ON_THE_WAY = 6;

const STAMP = /\bpts_time:\s*(-?[\d.]+|nan)/i;

/**
 * Decodes a source with ffmpeg and writes its frames, each after its header. A reader that does not read stops
 * ffmpeg; one that goes away ends it.
 * @throws UserError when ffmpeg gives out nothing
 */
export async function writeFrames(
  source: FrameOrigin,
  target: Writable,
  request: FrameRequest,
): Promise<void> {
  const { from, signal } = request;
  const isLoose = source.facts!.container.split(',').some((name) => LOOSE_CONTAINERS.includes(name));
  const near = Math.max(0, from - frameSeconds(source, 1.5) - (isLoose ? LOOSE_SECONDS : 0));
  const ended = await writeFrom(near, source, target, request);
  // Where even that landed too late, the file is decoded from its beginning.
  const again = ended.landedLate && near > 0 ? await writeFrom(0, source, target, request) : ended;
  if (again.frames > 0 || signal.aborted) return;
  if (request.hardware?.length) return writeFrames(source, target, { ...request, hardware: undefined });
  const detail = `ffmpeg gives out no picture of "${source.name}" from ${from.toFixed(2)} s on: ${again.lastLines.join(' ')}`;
  throw new UserError(422, 'Not decoded', detail);
}

const frameSeconds = ({ facts }: FrameOrigin, frames: number): number =>
  frames / toNumber(facts!.picture!.rate);

interface Ended {
  readonly frames: number;
  readonly landedLate: boolean;
  readonly lastLines: readonly string[];
}

async function writeFrom(
  start: number,
  source: FrameOrigin,
  target: Writable,
  { ffmpeg, from, until, size, threads, hardware, signal, read }: FrameRequest,
): Promise<Ended> {
  const seconds = until === undefined ? undefined : Math.max(0, until - start) + frameSeconds(source, 1);
  const args = frameArguments(source, start, size, threads, hardware, seconds);
  const child = spawnChild(ffmpeg, guardInputs(args), signal);
  // The receiver of the frames has priority: it needs little time, and ffmpeg waits for it.
  child.once('spawn', () => lowerPriority(child.pid, constants.priority.PRIORITY_BELOW_NORMAL));
  const clock = new FrameClock(source);
  const lastLines: string[] = [];
  createInterface({ input: child.stderr }).on('line', (line) => {
    const stamp = STAMP.exec(line)?.[1];
    if (stamp !== undefined) clock.stamp(Number(stamp));
    else if (lastLines.push(line) > 5) lastLines.shift();
  });
  const alphaBytes = source.facts!.picture!.alpha ? size.width * size.height : 0;
  const frameBytes = planarBytes(size.width, size.height) + alphaBytes;
  const spare: Buffer[] = [];
  let frames = 0;
  let busyFrom = performance.now();
  try {
    for await (const bytes of wholeFrames(child.stdout, frameBytes, spare)) {
      const seconds = await clock.next();
      if (frames === 0 && seconds > from + frameSeconds(source, 1.5) && start > 0)
        return { frames, landedLate: true, lastLines };
      // Frames before it are part of the cost of this position; their pixels are not needed.
      if (seconds < from - frameSeconds(source, 1.6)) {
        spare.push(bytes);
        continue;
      }
      const decodeMs = performance.now() - busyFrom;
      const beforeRead = performance.now();
      await read?.(frames);
      const readMs = read ? performance.now() - beforeRead : 0;
      if (signal.aborted) break;
      // Header and picture are sent in one piece, so the receiver wakes up once.
      bytes.set(writeFrameHeader({ seconds, decodeMs, readMs, bytes: frameBytes }));
      // A few frames may be in transit; a blocked receiver blocks ffmpeg, which is not a cost of decoding.
      const isTaken = target.write(bytes, () => spare.push(bytes));
      if (!isTaken && target.writableLength > MOST_ON_THE_WAY * frameBytes)
        await once(target, 'drain', { signal });
      busyFrom = performance.now();
      frames++;
    }
  } catch (error) {
    if (!signal.aborted) throw error;
  } finally {
    child.kill();
  }
  if (frames === 0) {
    const { code, cause } = await child;
    if (code === 'ENOENT') throw cause;
  }
  return { frames, landedLate: false, lastLines };
}

/** Times of frames in order, which the filter writes to another channel. */
class FrameClock {
  private readonly stamps: number[] = [];
  private readonly start: number;
  private readonly step: number;
  private last = NaN;
  private wake: (() => void) | undefined;

  constructor({ facts }: FrameOrigin) {
    this.start = toNumber(facts!.pictureStart);
    this.step = 1 / toNumber(facts!.picture!.rate);
  }

  stamp(seconds: number): void {
    this.stamps.push(seconds);
    this.wake?.();
  }

  async next(): Promise<number> {
    while (this.stamps.length === 0) await new Promise<void>((resolve) => (this.wake = resolve));
    const stamp = this.stamps.shift()!;
    const next = Number.isNaN(this.last) ? 0 : this.last + this.step;
    this.last = Number.isNaN(stamp) ? next : stamp - this.start;
    return this.last;
  }
}

// Pictures, each after space for its header. Sent buffers are reused, which spares garbage collection.
async function* wholeFrames(
  stream: AsyncIterable<Buffer>,
  bytes: number,
  spare: Buffer[],
): AsyncGenerator<Buffer> {
  const room = FRAME_HEADER_BYTES + bytes;
  const empty = (): Buffer => spare.pop() ?? Buffer.allocUnsafeSlow(room);
  let frame = empty();
  let filled = FRAME_HEADER_BYTES;
  for await (const chunk of stream) {
    for (let at = 0; at < chunk.length;) {
      const take = Math.min(room - filled, chunk.length - at);
      chunk.copy(frame, filled, at, at + take);
      filled += take;
      at += take;
      if (filled < room) continue;
      yield frame;
      frame = empty();
      filled = FRAME_HEADER_BYTES;
    }
  }
}
