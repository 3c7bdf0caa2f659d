import { ALL_FORMATS, AudioSampleSink, Input, UrlSource, type AudioSample } from 'mediabunny';
import { SAMPLE_RATE } from '../shared/control.js';
import { SoundBlocks } from './sound-blocks.js';

/** Sound that is turned round in one go, sample frames as heard. */
const TURNED_FRAMES = SAMPLE_RATE;
/** Decoders of sound that is coded in overlapping blocks begin a block earlier, seconds. */
const LEAD_SECONDS = 0.1;

/** The sound of one file at one speed, from any time on, as stereo at the player's sample rate. */
export class SoundReader extends SoundBlocks {
  private samples: AsyncGenerator<AudioSample, void, unknown> | undefined;

  private constructor(
    private readonly input: Input,
    private readonly sink: AudioSampleSink,
    private readonly zeroSeconds: number,
    private readonly speed: number,
  ) {
    super();
  }

  /**
   * @param speed source seconds for each second heard; below zero it is heard backwards
   * @throws Error in a sentence when the file has no sound that the browser decodes
   */
  static async open(url: string, speed: number): Promise<SoundReader> {
    const input = new Input({
      source: new UrlSource(url, { maxCacheSize: 8 * 2 ** 20 }),
      formats: ALL_FORMATS,
    });
    const track = await input.getPrimaryAudioTrack();
    if (!track) throw new Error('The file has no sound.');
    if (!(await track.canDecode())) throw new Error('This browser cannot decode the sound of the file.');
    const picture = await input.getPrimaryVideoTrack();
    const zero = await (picture ?? track).getFirstTimestamp();
    return new SoundReader(input, new AudioSampleSink(track), zero, speed);
  }

  seek(frame: number): void {
    this.block = new Float32Array(0);
    this.blockStart = frame;
    if (this.speed < 0) return;
    void this.samples?.return(undefined);
    this.samples = this.sink.samples(this.zeroSeconds + (frame * this.speed) / SAMPLE_RATE);
  }

  dispose(): void {
    void this.samples?.return(undefined);
    this.input.dispose();
  }

  protected async advance(): Promise<boolean> {
    if (this.speed < 0) return this.advanceBackwards();
    const result = await this.samples?.next();
    if (!result || result.done) return false;
    const sample = result.value;
    this.blockStart = Math.round(((sample.timestamp - this.zeroSeconds) * SAMPLE_RATE) / this.speed);
    this.block = toStereo(sample, this.speed);
    sample.close();
    return true;
  }

  /** Reads the sound before the block, and turns it round. */
  private async advanceBackwards(): Promise<boolean> {
    const from = this.blockStart + this.block.length / 2;
    const to = from + TURNED_FRAMES;
    const [begin, end] = [to, from].map((frame) => (frame * this.speed) / SAMPLE_RATE) as [number, number];
    if (end <= 0) return false;
    const forwards = new Float32Array(2 * TURNED_FRAMES);
    const [first, last] = [this.zeroSeconds + begin - LEAD_SECONDS, this.zeroSeconds + end];
    for await (const sample of this.sink.samples(Math.max(0, first), last)) {
      const stereo = toStereo(sample, -this.speed);
      const seconds = sample.timestamp - this.zeroSeconds - begin;
      sample.close();
      const at = 2 * Math.round((seconds * SAMPLE_RATE) / -this.speed);
      const skipped = Math.max(0, -at);
      const kept = stereo.subarray(skipped, Math.max(skipped, forwards.length - at));
      forwards.set(kept, Math.min(Math.max(0, at), forwards.length));
    }
    this.block = turnedRound(forwards);
    this.blockStart = from;
    return true;
  }
}

// Interleaved stereo at the player's rate; other rates are interpolated between neighbours.
function toStereo(sample: AudioSample, speed: number): Float32Array {
  const channels = Array.from({ length: Math.min(sample.numberOfChannels, 2) }, (_, planeIndex) => {
    const options = { planeIndex, format: 'f32-planar' as const };
    const plane = new Float32Array(sample.allocationSize(options) / Float32Array.BYTES_PER_ELEMENT);
    sample.copyTo(plane, options);
    return plane;
  });
  const left = channels[0]!;
  const right = channels[1] ?? left;
  const step = (sample.sampleRate / SAMPLE_RATE) * speed;
  const count = Math.round(left.length / step);
  const stereo = new Float32Array(2 * count);
  for (let i = 0; i < count; i++) {
    const at = Math.min(left.length - 1, i * step);
    const before = Math.floor(at);
    const after = Math.min(left.length - 1, before + 1);
    const part = at - before;
    stereo[2 * i] = left[before]! + part * (left[after]! - left[before]!);
    stereo[2 * i + 1] = right[before]! + part * (right[after]! - right[before]!);
  }
  return stereo;
}

/** Interleaved stereo from its last sample frame to its first. */
export function turnedRound(stereo: Float32Array): Float32Array {
  const turned = new Float32Array(stereo.length);
  for (let at = 0; at < stereo.length; at += 2) {
    turned[at] = stereo[stereo.length - 2 - at]!;
    turned[at + 1] = stereo[stereo.length - 1 - at]!;
  }
  return turned;
}
