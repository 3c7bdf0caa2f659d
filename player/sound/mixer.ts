import { toNumber, type Rational } from '@hone/core/time';
import type { SoundPart } from '@hone/core/render';
import type { Fades } from '@hone/core/timeline';
import { RING_FRAMES, SAMPLE_RATE, type Control } from '../shared/control.js';
import type { SoundBlocks } from './sound-blocks.js';
import { SoundReader } from './sound-part.js';
import { StretchedSound } from './stretched-sound.js';

const BLOCK = 4096;
/** Sample frames that must be ready before playing begins. */
const ENOUGH = SAMPLE_RATE / 4;

interface PlacedPart {
  readonly part: SoundPart;
  readonly url: string;
  /** Sample frames of the timeline. */
  readonly from: number;
  readonly to: number;
  readonly sourceFrom: number;
  /** Sample frames. */
  readonly fades: Fades;
  reader: Promise<SoundBlocks | undefined> | undefined;
}

/** Mixes the sound of a timeline ahead of the device into the ring. Late sound is left silent: sound never waits. */
export class Mixer {
  private parts: PlacedPart[] = [];
  private rate: Rational = { num: 24, den: 1 };
  private epoch = 0;

  constructor(private readonly control: Control) {}

  setPlan(parts: readonly SoundPart[], urls: Readonly<Record<string, string>>, rate: Rational): void {
    const samples = (frame: number): number => Math.round((frame * SAMPLE_RATE * rate.den) / rate.num);
    this.rate = rate;
    const before = new Map(this.parts.map((placed) => [JSON.stringify([placed.part, placed.url]), placed]));
    this.parts = parts.flatMap((part) => {
      const url = urls[part.sourceId];
      if (url === undefined) return [];
      const same = before.get(JSON.stringify([part, url]));
      if (same) before.delete(JSON.stringify([part, url]));
      // Counted as it is heard: at twice the speed a source has half as many.
      const sourceFrom = Math.round((toNumber(part.sourceIn) * SAMPLE_RATE) / toNumber(part.speed));
      const fades = { in: samples(part.fades.in), out: samples(part.fades.out) };
      const [from, to] = [samples(part.from), samples(part.to)];
      return [same ?? { part, url, from, to, sourceFrom, fades, reader: undefined }];
    });
    for (const gone of before.values()) forget(gone);
  }

  stop(): void {
    this.epoch = 0;
  }

  /** Fills the ring from a timeline frame on, until stopped or started anew. */
  async start(epoch: number, fromFrame: number): Promise<void> {
    this.epoch = epoch;
    const start = Math.round((fromFrame * SAMPLE_RATE * this.rate.den) / this.rate.num);
    const block = new Float32Array(2 * BLOCK);
    const sought = new Set<PlacedPart>();
    let written = 0;
    while (this.epoch === epoch) {
      const played = this.control.get('played');
      if (written < played) {
        // These were due already and stayed silent. Readers continue after them.
        written = played;
        sought.clear();
      }
      if (written + BLOCK - played > RING_FRAMES) {
        await new Promise((resolve) => setTimeout(resolve, 20));
        continue;
      }
      block.fill(0);
      const began = performance.now();
      await this.mix(block, start + written, sought);
      const micros = Math.round(1000 * (performance.now() - began));
      this.control.set('soundMicros', this.control.get('soundMicros') + micros);
      if (this.epoch !== epoch) return;
      this.write(block, written);
      written += BLOCK;
      this.control.set('written', written);
      if (written >= ENOUGH) this.control.set('soundReady', epoch);
    }
  }

  private async mix(block: Float32Array, at: number, sought: Set<PlacedPart>): Promise<void> {
    for (const placed of this.parts) {
      const from = Math.max(at, placed.from);
      const to = Math.min(at + BLOCK, placed.to);
      if (placed.to <= at) {
        if (sought.delete(placed)) forget(placed);
        continue;
      }
      if (to <= from) continue;
      placed.reader ??= openSound(placed).catch(() => undefined);
      const reader = await placed.reader;
      if (!reader) continue;
      const sourceFrame = placed.sourceFrom + from - placed.from;
      if (!sought.has(placed)) {
        reader.seek(sourceFrame);
        sought.add(placed);
      }
      try {
        await reader.mixInto(block, from - at, sourceFrame, to - from, gainOf(placed, from));
      } catch {
        // A part with a read error is silent; the picture continues, and the next start tries again.
        forget(placed);
      }
    }
  }

  private write(block: Float32Array, written: number): void {
    const { ring } = this.control;
    const at = written % RING_FRAMES;
    const first = Math.min(BLOCK, RING_FRAMES - at);
    ring.set(block.subarray(0, 2 * first), 2 * at);
    if (first < BLOCK) ring.set(block.subarray(2 * first), 0);
  }
}

/** Gain of sound in a linear fade; undefined outside fades. */
export function gainOf(
  { from, to, fades }: Pick<PlacedPart, 'from' | 'to' | 'fades'>,
  at: number,
): ((into: number) => number) | undefined {
  if (fades.in === 0 && fades.out === 0) return undefined;
  return (into) => {
    const frame = at + into;
    const coming = fades.in ? (frame - from) / fades.in : 1;
    const going = fades.out ? (to - frame) / fades.out : 1;
    return Math.max(0, Math.min(1, coming) * Math.min(1, going));
  };
}

/** The sound of a part as it is heard. @throws Error when the file has none that the browser decodes */
async function openSound({ part, url }: PlacedPart): Promise<SoundBlocks> {
  const speed = toNumber(part.speed);
  if (!part.keepsPitch || Math.abs(speed) === 1) return SoundReader.open(url, speed);
  return new StretchedSound(await SoundReader.open(url, Math.sign(speed)), Math.abs(speed));
}

function forget(placed: PlacedPart): void {
  void placed.reader?.then((reader) => reader?.dispose());
  placed.reader = undefined;
}
