import { randomUUID } from 'node:crypto';
import { mkdir, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';
import type { CopyEstimate } from '@hone/core/api';
import { copyArguments, type CopyDivisor } from '@hone/core/media';
import { toNumber } from '@hone/core/time';
import { inputArguments } from '../ffmpeg/input.js';
import type { FfmpegHardware } from '../ffmpeg/hardware.js';
import { fileArgument, runFfmpeg } from '../ffmpeg/process.js';
import { stampOf, type SourceRow } from '../media/source-store.js';
import { copyLayoutOf } from './make-copy.js';

const SAMPLE_FRAMES = 24;
/** Frames after which the encoder runs at its own speed; those before it pay for the start. */
const WARM_FRAMES = 6;

/** Predicts time and size of light copies by making a few frames of each. Results are kept while the server runs. */
export class CopyEstimator {
  private readonly estimates = new Map<string, Promise<CopyEstimate>>();
  private last: Promise<unknown> = Promise.resolve();

  constructor(
    private readonly ffmpeg: string,
    private readonly hardware: FfmpegHardware,
    private readonly folder: string,
  ) {}

  async estimate(source: SourceRow, divisor: CopyDivisor): Promise<CopyEstimate> {
    const key = await this.keyOf(source, divisor);
    const known = this.estimates.get(key);
    if (known) return known;
    // One after the other: two at once would each see half of the machine.
    const estimate = this.last.then(() => this.measure(source, divisor));
    this.last = estimate.catch(() => undefined);
    this.estimates.set(key, estimate);
    estimate.catch(() => this.estimates.delete(key));
    return estimate;
  }

  /** What was estimated before; undefined where nothing was. */
  async known(source: SourceRow, divisor: CopyDivisor): Promise<CopyEstimate | undefined> {
    return this.estimates.get(await this.keyOf(source, divisor));
  }

  /** Another choice of hardware takes another time. */
  private async keyOf(source: SourceRow, divisor: CopyDivisor): Promise<string> {
    const { decoding, encoder } = await this.hardware.paths();
    const by = [...decoding(source.facts?.picture?.codec), encoder.name].join(' ');
    return `${source.id}:${divisor}:${stampOf(source)}:${by}`;
  }

  private async measure(source: SourceRow, divisor: CopyDivisor): Promise<CopyEstimate> {
    const layout = copyLayoutOf(source, divisor);
    const { picture, duration } = source.facts!;
    await mkdir(this.folder, { recursive: true });
    const path = join(this.folder, `sample-${randomUUID()}.mp4`);
    const middle = Math.max(0, toNumber(duration) / 2 - 1);
    const frames = Math.min(SAMPLE_FRAMES, picture!.frameCount);
    const started = performance.now();
    let warm: { at: number; frame: number } | undefined;
    let last = { at: started, frame: 0 };
    const onFrame = (frame: number): void => {
      last = { at: performance.now(), frame };
      if (frame >= WARM_FRAMES) warm ??= last;
    };
    try {
      await this.hardware.work(({ decoding, encoder }) => {
        const from = [...decoding(picture!.codec), '-ss', middle.toFixed(3), ...inputArguments(source)];
        const to = ['-frames:v', String(frames), ...copyArguments(layout, picture!, encoder)];
        const args = ['-v', 'error', ...encoder.setUp, ...from, ...to, fileArgument(path)];
        return runFfmpeg(this.ffmpeg, args, { onFrame });
      });
      const { size: bytes } = await stat(path);
      const since = warm && last.frame > warm.frame ? warm : { at: started, frame: 0 };
      const msAFrame = (last.at - since.at) / Math.max(1, last.frame - since.frame);
      const scale = picture!.frameCount / Math.max(1, last.frame);
      return {
        sourceId: source.id,
        divisor,
        width: layout.width,
        height: layout.height,
        bytes: Math.round(bytes * scale),
        seconds: (msAFrame * picture!.frameCount) / 1000,
        sampledFrames: last.frame,
      };
    } finally {
      await rm(path, { force: true });
    }
  }
}
