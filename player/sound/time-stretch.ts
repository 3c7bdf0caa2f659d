/** Sample frames of a piece of sound, and from one piece to the next: pieces overlap by half. */
const PIECE = 2048;
const HOP = PIECE / 2;
/** Sample frames by which a piece may lie before or behind its place. */
const REACH = 512;
/** Pieces are compared at every such sample frame at first. */
const COARSE = 4;

/** Rises over the overlap of two pieces; with its mirror image it adds up to 1 (Hann). */
const RISE = Float32Array.from(
  { length: HOP },
  (_, at) => 0.5 - 0.5 * Math.cos((Math.PI * (at + 0.5)) / HOP),
);

/**
 * Makes sound longer or shorter without changing its pitch: pieces of it are laid over each other closer together or
 * further apart, each at the place nearby where it goes on most like the piece before. W. Verhelst and M. Roelands, "An
 * overlap-add technique based on waveform similarity (WSOLA) for high quality time-scale modification of speech", ICASSP
 * 1993.
 */
export class TimeStretch {
  /** Sample frames of the source from `start` on, interleaved stereo. */
  private sound = new Float32Array(0);
  private start = 0;
  /** Number of pieces since the place that was sought, and that place. */
  private pieces = 0;
  private origin = 0;
  /** Where the last piece would go on; undefined before the first. */
  private goesOn: number | undefined;

  /**
   * @param speed sample frames of the source for each one heard, above zero
   * @param read gives sample frames of the source from one on, interleaved stereo; each goes on where the last one ended
   */
  constructor(
    private readonly speed: number,
    private readonly read: (frame: number, count: number) => Promise<Float32Array>,
  ) {}

  /** Begins anew at a sample frame of the source. @returns the one that is read first: a slow piece begins before it */
  seek(frame: number): number {
    this.sound = new Float32Array(0);
    this.start = frame - HOP;
    this.origin = frame;
    this.pieces = 0;
    this.goesOn = undefined;
    return this.start;
  }

  /** The next HOP sample frames as they are heard, interleaved stereo. */
  async next(): Promise<Float32Array> {
    const place = this.placeOf(this.pieces++);
    const first = this.goesOn ?? place;
    await this.fill(Math.max(first, place + REACH) + PIECE);
    const from = this.goesOn === undefined ? place : this.mostAlike(first, place);
    const heard = new Float32Array(2 * HOP);
    const [before, after] = [2 * (first - this.start), 2 * (from - this.start)];
    for (let at = 0; at < HOP; at++) {
      for (const channel of [2 * at, 2 * at + 1]) {
        const going = this.sound[before + channel]!;
        heard[channel] = going + RISE[at]! * (this.sound[after + channel]! - going);
      }
    }
    this.goesOn = from + HOP;
    this.drop(Math.min(this.goesOn, this.placeOf(this.pieces) - REACH));
    return heard;
  }

  /** Where in the source a piece begins, so that its middle is heard at its time. */
  private placeOf(piece: number): number {
    return this.origin + Math.round(HOP * ((piece + 1) * this.speed - 1));
  }

  /** Reads until the sound reaches a sample frame. */
  private async fill(until: number): Promise<void> {
    const missing = until - this.start - this.sound.length / 2;
    if (missing <= 0) return;
    const more = await this.read(this.start + this.sound.length / 2, missing);
    const all = new Float32Array(this.sound.length + 2 * missing);
    all.set(this.sound);
    all.set(more.subarray(0, 2 * missing), this.sound.length);
    this.sound = all;
  }

  private drop(until: number): void {
    const count = Math.min(until - this.start, this.sound.length / 2);
    if (count <= 0) return;
    this.sound = this.sound.slice(2 * count);
    this.start += count;
  }

  /** The place near another one whose sound is most like that from `goesOn` on. */
  private mostAlike(goesOn: number, place: number): number {
    const least = Math.max(this.start, place - REACH);
    let best = this.best(goesOn, least, place + REACH, COARSE);
    best = this.best(goesOn, Math.max(least, best - COARSE + 1), best + COARSE - 1, 1);
    return best;
  }

  private best(goesOn: number, from: number, to: number, step: number): number {
    let [best, likest] = [from, -Infinity];
    for (let place = from; place <= to; place += step) {
      const likeness = this.likeness(goesOn, place, step);
      if (likeness > likest) [best, likest] = [place, likeness];
    }
    return best;
  }

  /** Correlation of two pieces, by the second's own strength, so that a loud one is not taken for a like one. */
  private likeness(one: number, other: number, step: number): number {
    const { sound, start } = this;
    let [sum, energy] = [0, 1e-9];
    for (let at = 0; at < HOP; at += step) {
      const [a, b] = [2 * (one - start + at), 2 * (other - start + at)];
      const [left, right] = [sound[b]!, sound[b + 1]!];
      sum += sound[a]! * left + sound[a + 1]! * right;
      energy += left * left + right * right;
    }
    return sum / Math.sqrt(energy);
  }
}
