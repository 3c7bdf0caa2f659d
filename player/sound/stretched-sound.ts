import { SoundBlocks } from './sound-blocks.js';
import type { SoundReader } from './sound-part.js';
import { TimeStretch } from './time-stretch.js';

/** Sound at another speed that keeps its pitch. */
export class StretchedSound extends SoundBlocks {
  private readonly stretch: TimeStretch;

  /**
   * @param reader of the sound at its own speed, forwards or backwards
   * @param speed of what is heard, above zero
   */
  constructor(
    private readonly reader: SoundReader,
    private readonly speed: number,
  ) {
    super();
    this.stretch = new TimeStretch(speed, (from, count) => this.read(from, count));
  }

  seek(frame: number): void {
    this.block = new Float32Array(0);
    this.blockStart = frame;
    this.reader.seek(this.stretch.seek(Math.round(frame * this.speed)));
  }

  dispose(): void {
    this.reader.dispose();
  }

  protected async advance(): Promise<boolean> {
    this.blockStart += this.block.length / 2;
    this.block = await this.stretch.next();
    return true;
  }

  /** Outside the source there is silence. */
  private async read(from: number, count: number): Promise<Float32Array> {
    const sound = new Float32Array(2 * count);
    await this.reader.mixInto(sound, 0, from, count);
    return sound;
  }
}
