import type { EncodedPacket } from 'mediabunny';
import { PictureFiles, type PictureFile } from '../decode/picture-file.js';
import type { DecodeTimes } from './messages.js';

/** Frames over which one repetition is taken: a multiple of what most groups of pictures repeat after. */
const GROUP = 12;
/** Frames that the first repetition does not count: starting a decoder costs once. */
const WARM = 12;
/** Repetitions that a slow decoder is given time for. */
const FEWEST_GROUPS = 3;
const IN_FLIGHT = 8;
/** How often a decoder is set up anew, to see how long its first picture takes. */
const STARTS = 4;

/** Decodes a file flat out, with several decoders at once if so asked, and shows nothing. */
export async function decodeTimes(url: string, seconds: number, decoders: number): Promise<DecodeTimes> {
  const files = new PictureFiles();
  let file: PictureFile;
  try {
    file = await files.get(url);
  } catch (error) {
    const problem = error instanceof Error ? error.message : String(error);
    return { ...NOTHING, acceleration: 'none', problem };
  }
  const acceleration = await accelerationOf(file.config);
  try {
    const stamps = await Promise.all(Array.from({ length: decoders }, () => flatOut(file, seconds)));
    const groups = stamps.flatMap(groupTimes);
    const framesPerSecond = stamps.reduce((sum, each) => sum + rateOf(each), 0);
    if (groups.length === 0) {
      return { ...NOTHING, acceleration, problem: 'The clip is too short to measure.' };
    }
    const startMs: number[] = [];
    // The first one also pays for the decoder's code and memory; it is not counted.
    for (let start = 0; decoders === 1 && start < STARTS; start++) {
      const begun = performance.now();
      const [first] = await flatOut(file, seconds, 1);
      if (start > 0 && first !== undefined) startMs.push(first - begun);
    }
    const restartMs = decoders === 1 ? await restarts(file) : [];
    return { msPerFrame: groups, startMs, restartMs, framesPerSecond, acceleration, problem: null };
  } catch (error) {
    const problem = error instanceof Error ? error.message : String(error);
    return { ...NOTHING, acceleration: 'none', problem };
  }
}

const NOTHING = { msPerFrame: null, startMs: [], restartMs: [], framesPerSecond: 0 } as const;

async function accelerationOf(config: VideoDecoderConfig): Promise<DecodeTimes['acceleration']> {
  const can = async (hardwareAcceleration: HardwareAcceleration): Promise<boolean> =>
    (await VideoDecoder.isConfigSupported({ ...config, hardwareAcceleration })).supported === true;
  try {
    if (await can('prefer-hardware')) return 'hardware';
    return (await can('prefer-software')) ? 'software' : 'unknown';
  } catch {
    return 'unknown';
  }
}

/** When each frame came out, ms. @param most frames; decoding stops when they are out */
async function flatOut(
  { config, packets, firstPacket }: PictureFile,
  seconds: number,
  most = Infinity,
): Promise<number[]> {
  const stamps: number[] = [];
  let failure: Error | undefined;
  let wake: (() => void) | undefined;
  const decoder = new VideoDecoder({
    output: (frame) => {
      stamps.push(performance.now());
      frame.close();
      if (stamps.length >= most) wake?.();
    },
    error: (error) => {
      failure = error;
      wake?.();
    },
  });
  decoder.ondequeue = () => wake?.();
  const isDone = (): boolean => stamps.length >= most;
  const fed = (): boolean => !isDone() && decoder.decodeQueueSize >= IN_FLIGHT;
  try {
    decoder.configure(config);
    const end = performance.now() + 1000 * seconds;
    // A slow decoder is given longer, so that there is something to measure.
    const isTime = (): boolean =>
      performance.now() < end ||
      (stamps.length <= WARM + FEWEST_GROUPS * GROUP && performance.now() < end + 2000 * seconds);
    let packet: EncodedPacket | null = firstPacket;
    while (packet && !isDone() && isTime()) {
      decoder.decode(packet.toEncodedVideoChunk());
      while (!failure && fed()) await new Promise<void>((resolve) => (wake = resolve));
      if (failure) throw failure;
      packet = await packets.getNextPacket(packet);
    }
    if (!isDone()) await decoder.flush();
    return stamps;
  } finally {
    if (decoder.state !== 'closed') decoder.close();
  }
}

/** ms from leaving a busy decoder's place until its first picture at a key frame elsewhere. */
async function restarts({ config, packets, firstPacket }: PictureFile): Promise<number[]> {
  const times: number[] = [];
  let failure: Error | undefined;
  let wake: (() => void) | undefined;
  let outputs = 0;
  const decoder = new VideoDecoder({
    output: (frame) => {
      outputs++;
      frame.close();
      wake?.();
    },
    error: (error) => {
      failure = error;
      wake?.();
    },
  });
  decoder.ondequeue = () => wake?.();
  try {
    decoder.configure(config);
    let packet: EncodedPacket | null = firstPacket;
    for (let start = 0; packet && start < STARTS; start++) {
      const seen = outputs;
      const begun = performance.now();
      let first: number | undefined;
      for (let fed = 0; packet && (first === undefined || fed < 2 * IN_FLIGHT); fed++) {
        decoder.decode(packet.toEncodedVideoChunk());
        while (!failure && decoder.decodeQueueSize >= IN_FLIGHT)
          await new Promise<void>((resolve) => (wake = resolve));
        if (failure) throw failure;
        if (outputs > seen) first ??= performance.now() - begun;
        packet = await packets.getNextPacket(packet);
      }
      // The first one found the decoder idle.
      if (start > 0 && first !== undefined) times.push(first);
      packet = packet && (await packets.getNextKeyPacket(packet));
      decoder.reset();
      decoder.configure(config);
    }
    return times;
  } finally {
    if (decoder.state !== 'closed') decoder.close();
  }
}

/** ms a frame of each group of frames after the first ones. */
function groupTimes(stamps: readonly number[]): number[] {
  const times: number[] = [];
  for (let at = WARM; at + GROUP < stamps.length; at += GROUP)
    times.push((stamps[at + GROUP]! - stamps[at]!) / GROUP);
  return times;
}

function rateOf(stamps: readonly number[]): number {
  const first = stamps[WARM];
  const last = stamps.at(-1);
  return first === undefined || last === undefined || last <= first
    ? 0
    : (1000 * (stamps.length - 1 - WARM)) / (last - first);
}
