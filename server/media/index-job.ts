import {
  PacketIndex,
  PacketIndexBuilder,
  pictureStructure,
  unreferencedIn,
  type SourceFacts,
} from '@hone/core/media';
import { toNumber } from '@hone/core/time';
import { inputArguments, probeArguments, type MediaInput } from '../ffmpeg/input.js';
import { runTool, ToolError, type FfmpegTools } from '../ffmpeg/process.js';
import type { JobHandler } from '../jobs/queue.js';
import type { SourceStore } from './source-store.js';

/** Reads the packet index of a source in the background, once for each state of its file. */
export function indexHandler(store: SourceStore, { ffmpeg, ffprobe }: FfmpegTools): JobHandler {
  return {
    kind: 'index',
    lane: 'light',
    priority: 6,
    async run({ job, signal, progress }) {
      const row = await store.readable(job.subjectId);
      if (!row.facts?.picture) return;
      const packets = await readPackets(ffprobe, row, row.facts, { signal, onProgress: progress });
      const index = PacketIndex.from(packets);
      if (index.length === 0) return;
      const { codec, size } = row.facts.picture;
      const sample = codec === 'h264' ? await unreferencedSample(ffmpeg, row, signal) : [];
      const structure = pictureStructure(index, size, sample);
      await store.keepIndex(row, packets);
      await store.change(row, { structure });
    },
  };
}

/** Seconds of a file from which it is told which of its pictures no other refers to. */
const SAMPLE_SECONDS = 5;
/** Bytes after which a sample ends. */
const LARGEST_SAMPLE = 32 * 2 ** 20;

/** For the first pictures of an H.264 file in the order of decoding, whether no other refers to it; none when ffmpeg fails. */
async function unreferencedSample(
  ffmpeg: string,
  input: MediaInput,
  signal: AbortSignal,
): Promise<readonly boolean[]> {
  const chunks: Buffer[] = [];
  const args = ['-v', 'error', '-nostdin', '-t', String(SAMPLE_SECONDS), ...inputArguments(input)];
  const form = ['-map', '0:v:0', '-c', 'copy', '-bsf:v', 'h264_mp4toannexb', '-fs', String(LARGEST_SAMPLE)];
  try {
    await runTool(ffmpeg, [...args, ...form, '-f', 'h264', '-'], {
      signal,
      onOutput: (chunk) => chunks.push(chunk),
    });
  } catch (error) {
    if (error instanceof ToolError) return [];
    throw error;
  }
  return unreferencedIn(Buffer.concat(chunks));
}

interface ReadOptions {
  readonly signal?: AbortSignal;
  /** @param done 0 to 1 */
  readonly onProgress?: (done: number) => void;
}

/**
 * Reads all picture packets of a file with ffprobe, in decode order.
 * @returns the index in its kept form
 * @throws ToolError when the file cannot be read; CancelledError when the signal says so
 */
export async function readPackets(
  ffprobe: string,
  input: MediaInput,
  facts: SourceFacts,
  { signal, onProgress }: ReadOptions = {},
): Promise<Uint8Array> {
  const ticks = facts.picture?.timescale ?? 1000;
  const expected = toNumber(facts.duration) * ticks;
  const reader = new PacketReader(ticks);
  const entries = ['-select_streams', 'v:0', '-show_entries', 'packet=pts,dts,size,flags', '-of', 'csv=p=0'];
  await runTool(ffprobe, ['-v', 'error', ...entries, ...probeArguments(input)], {
    signal,
    onOutput: (chunk) => {
      reader.take(chunk);
      if (expected > 0) onProgress?.(Math.min(1, reader.reached / expected));
    },
  });
  return reader.done();
}

const COMMA = 0x2c;
const LINE_END = 0x0a;
const MINUS = 0x2d;
const ZERO = 0x30;
const KEY = 0x4b;

/**
 * Reads lines of "pts,dts,size,flags" as they come, byte by byte: a line of text for each of a million packets would
 * cost more than reading the file. What has no time stamp ("N/A") follows the packet before it.
 */
class PacketReader {
  private readonly builder: PacketIndexBuilder;
  private readonly fields = [NaN, NaN, NaN];
  private field = 0;
  private value = NaN;
  private negative = false;
  private key = false;
  private first = NaN;
  private lastDts = NaN;
  private step = 1;
  /** Ticks from the first packet to the last. */
  reached = 0;

  constructor(ticks: number) {
    this.builder = new PacketIndexBuilder(ticks);
  }

  take(chunk: Buffer): void {
    for (const byte of chunk) {
      if (byte >= ZERO && byte <= ZERO + 9) {
        this.value = (Number.isNaN(this.value) ? 0 : this.value) * 10 + byte - ZERO;
      } else if (byte === COMMA) this.endField();
      else if (byte === LINE_END) this.endLine();
      else if (byte === MINUS) this.negative = true;
      else if (byte === KEY && this.field === 3) this.key = true;
    }
  }

  done(): Uint8Array {
    this.endLine();
    return this.builder.done();
  }

  private endField(): void {
    if (this.field < 3) this.fields[this.field] = this.negative ? -this.value : this.value;
    this.field++;
    this.value = NaN;
    this.negative = false;
  }

  private endLine(): void {
    if (this.field >= 3) this.add();
    this.field = 0;
    this.value = NaN;
    this.negative = false;
    this.key = false;
  }

  private add(): void {
    const [pts, dts, bytes] = this.fields as [number, number, number];
    const next = Number.isNaN(this.lastDts) ? 0 : this.lastDts + this.step;
    const decoded = Number.isNaN(dts) ? (Number.isNaN(pts) ? next : Math.max(next, pts)) : dts;
    if (!Number.isNaN(this.lastDts) && decoded > this.lastDts) this.step = decoded - this.lastDts;
    if (Number.isNaN(this.first)) this.first = decoded;
    this.lastDts = decoded;
    this.reached = decoded - this.first;
    this.builder.add({
      bytes: Number.isNaN(bytes) ? 0 : bytes,
      key: this.key,
      pts: Number.isNaN(pts) ? decoded : pts,
      dts: decoded,
    });
  }
}
