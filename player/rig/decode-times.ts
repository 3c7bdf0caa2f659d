import { messageOf } from '../shared/message-of.js';
import { DECODE_PATHS, type DecodePath } from '@hone/core/levers';
import { type DecodeSample } from '@hone/core/machine';
import type { EncodedPacket } from 'mediabunny';
import { configFor } from '../decode/picture-decoder.js';
import { PictureFiles, type PictureFile } from '../decode/picture-file.js';
import { NOT_DECODED, type DecodeTimes } from './times.js';

/** Frames over which one repetition is taken: a multiple of what most groups of pictures repeat after. */
const GROUP = 12;
/** Frames that the first repetition does not count: starting a decoder costs once. */
const WARM = 12;
/** Repetitions that a slow decoder is given time for. */
const FEWEST_GROUPS = 2;
const IN_FLIGHT = 8;
/** Number of times a decoder is opened anew to measure its first picture. */
const STARTS = 4;

/**
 * Decodes a file flat out, with several decoders at once if so asked, and shows nothing.
 * @param starts whether its first pictures are timed as well
 * @param wanted path that it is decoded by; the first that the browser offers when absent, hardware before software
 */
export async function decodeTimes(
  url: string,
  seconds: number,
  decoders: number,
  starts: boolean,
  wanted?: DecodePath,
): Promise<DecodeTimes> {
  const files = new PictureFiles();
  let file: PictureFile;
  try {
    file = await files.get(url);
  } catch (error) {
    const problem = messageOf(error);
    return { ...NOT_DECODED, paths: [], problem };
  }
  const paths = await pathsOf(file.config);
  const path = wanted ?? paths[0];
  file = { ...file, config: configFor(file.config, path) };
  const acceleration = path ?? 'unknown';
  try {
    const runs = await Promise.all(Array.from({ length: decoders }, () => flatOut(file, seconds)));
    const samples = runs.flatMap(samplesOf);
    const framesPerSecond = runs.reduce((sum, { stamps }) => sum + rateOf(stamps), 0);
    if (samples.length === 0) {
      return { ...NOT_DECODED, acceleration, paths, problem: 'The clip is too short to measure.' };
    }
    const startMs: number[] = [];
    // The first one also pays for the decoder's code and memory; it is not counted.
    for (let start = 0; starts && start < STARTS; start++) {
      const begun = performance.now();
      const [first] = (await flatOut(file, seconds, 1)).stamps;
      if (start > 0 && first !== undefined) startMs.push(first - begun);
    }
    const restartMs = starts ? await restarts(file) : [];
    return { samples, startMs, restartMs, framesPerSecond, acceleration, paths, problem: null };
  } catch (error) {
    const problem = messageOf(error);
    return { ...NOT_DECODED, paths, problem };
  }
}

/** Paths that the browser offers to decode a file by; none where it does not say. */
async function pathsOf(config: VideoDecoderConfig): Promise<DecodePath[]> {
  const offered = await Promise.all(
    DECODE_PATHS.map(async (path) => {
      const answer = await VideoDecoder.isConfigSupported(configFor(config, path)).catch(() => null);
      return answer?.supported ? [path] : [];
    }),
  );
  return offered.flat();
}

/** A decoder that is kept busy, and notes when its frames come out. */
class BusyDecoder {
  /** ms */
  readonly stamps: number[] = [];
  /** Bytes of the packets that it was given, in decode order. */
  readonly sizes: number[] = [];
  private readonly decoder: VideoDecoder;
  private failure: Error | undefined;
  private wake: (() => void) | undefined;

  constructor(private readonly config: VideoDecoderConfig) {
    this.decoder = new VideoDecoder({
      output: (frame) => {
        this.stamps.push(performance.now());
        frame.close();
        this.wake?.();
      },
      error: (error) => {
        this.failure = error;
        this.wake?.();
      },
    });
    this.decoder.ondequeue = () => this.wake?.();
    this.decoder.configure(config);
  }

  /** Waits while its queue is full, unless the awaited picture is there. */
  async feed(packet: EncodedPacket, isDone: () => boolean): Promise<void> {
    this.sizes.push(packet.byteLength);
    this.decoder.decode(packet.toEncodedVideoChunk());
    while (!this.failure && !isDone() && this.decoder.decodeQueueSize >= IN_FLIGHT)
      await new Promise<void>((resolve) => (this.wake = resolve));
    if (this.failure) throw this.failure;
  }

  /** Empties the decoder; the next packet must be a key packet. */
  restart(): void {
    this.decoder.reset();
    this.decoder.configure(this.config);
  }

  async flush(): Promise<void> {
    await this.decoder.flush();
  }

  close(): void {
    if (this.decoder.state !== 'closed') this.decoder.close();
  }
}

type Decoded = Pick<BusyDecoder, 'stamps' | 'sizes'>;

/** When each frame came out. @param most frames; decoding stops when they are out */
async function flatOut(
  { config, packets, firstPacket }: PictureFile,
  seconds: number,
  most = Infinity,
): Promise<Decoded> {
  const decoder = new BusyDecoder(config);
  const { stamps } = decoder;
  const isDone = (): boolean => stamps.length >= most;
  try {
    const end = performance.now() + 1000 * seconds;
    // A slow decoder is given longer, so that there is something to measure.
    const isTime = (): boolean =>
      performance.now() < end ||
      (stamps.length <= WARM + FEWEST_GROUPS * GROUP && performance.now() < end + 2000 * seconds);
    let packet: EncodedPacket | null = firstPacket;
    while (packet && !isDone() && isTime()) {
      await decoder.feed(packet, isDone);
      packet = await packets.getNextPacket(packet);
    }
    if (!isDone()) await decoder.flush();
    return decoder;
  } finally {
    decoder.close();
  }
}

/** ms from leaving a busy decoder's place until its first picture at a key frame elsewhere. */
async function restarts({ config, packets, firstPacket }: PictureFile): Promise<number[]> {
  const times: number[] = [];
  const decoder = new BusyDecoder(config);
  const { stamps } = decoder;
  try {
    let packet: EncodedPacket | null = firstPacket;
    for (let start = 0; packet && start < STARTS; start++) {
      const begun = performance.now();
      const seen = stamps.length;
      for (let fed = 0; packet && (stamps.length === seen || fed < 2 * IN_FLIGHT); fed++) {
        await decoder.feed(packet, () => false);
        packet = await packets.getNextPacket(packet);
      }
      // The first one found the decoder idle.
      const first = stamps[seen];
      if (start > 0 && first !== undefined) times.push(first - begun);
      packet = packet && (await packets.getNextKeyPacket(packet));
      decoder.restart();
    }
    return times;
  } finally {
    decoder.close();
  }
}

/** Each group of frames after the first ones; that they come out in another order moves few of them to another group. */
function samplesOf({ stamps, sizes }: Decoded): DecodeSample[] {
  const samples: DecodeSample[] = [];
  for (let at = WARM; at + GROUP < stamps.length; at += GROUP) {
    const bytes = sizes.slice(at + 1, at + 1 + GROUP).reduce((sum, each) => sum + each, 0);
    samples.push({ ms: (stamps[at + GROUP]! - stamps[at]!) / GROUP, bitsPerFrame: (8 * bytes) / GROUP });
  }
  return samples;
}

function rateOf(stamps: readonly number[]): number {
  const first = stamps[WARM];
  const last = stamps.at(-1);
  return first === undefined || last === undefined || last <= first
    ? 0
    : (1000 * (stamps.length - 1 - WARM)) / (last - first);
}
