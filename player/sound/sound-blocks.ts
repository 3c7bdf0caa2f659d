/** Stereo sound that is made block by block, as it is heard, and mixed from there. */
export abstract class SoundBlocks {
  protected block: Float32Array = new Float32Array(0);
  /** Sample frame, as heard, from zero of the source, of the first one in `block`. */
  protected blockStart = 0;

  /** The next `mixInto` begins here. */
  abstract seek(frame: number): void;

  abstract dispose(): void;

  /** Makes the block after this one. @returns false at the end */
  protected abstract advance(): Promise<boolean>;

  /**
   * Adds `count` sample frames from `frame` on to `target`.
   * @param target stereo samples, interleaved
   * @param gainOf what each is multiplied by, by its distance from `frame`; absent for 1
   */
  async mixInto(
    target: Float32Array,
    offset: number,
    frame: number,
    count: number,
    gainOf?: (into: number) => number,
  ): Promise<void> {
    let done = 0;
    while (done < count) {
      const within = frame + done - this.blockStart;
      const available = this.block.length / 2 - within;
      if (available <= 0) {
        if (!(await this.advance())) return;
        continue;
      }
      if (within < 0) {
        done = Math.min(count, done - within);
        continue;
      }
      const take = Math.min(available, count - done);
      for (let i = 0; i < 2 * take; i++) {
        const at = 2 * (offset + done) + i;
        const gain = gainOf ? gainOf(done + (i >> 1)) : 1;
        target[at] = target[at]! + gain * this.block[2 * within + i]!;
      }
      done += take;
    }
  }
}
