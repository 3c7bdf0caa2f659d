/**
 * A few integers that the threads of a player read and write without messages.
 */
const FIELDS = [
  /** 1 while sound runs. */
  'running',
  /** Grows with each start, which tells old numbers from new ones. */
  'epoch',
  /** Sample frames that the sound device has taken since the start. */
  'played',
  /** Sample frames that are ready for it since the start. */
  'written',
  /** Epoch for which enough sound is ready to begin. */
  'soundReady',
  /** Playhead in thousandths of a frame. */
  'playhead',
  /** Timeline frame on the canvas; -1 before the first. */
  'shownFrame',
  /** Sample frames that should have been heard but were not ready. */
  'soundGaps',
  /** Microseconds that decoding and mixing sound took since the start. */
  'soundMicros',
] as const;

export type ControlField = (typeof FIELDS)[number];

export const SAMPLE_RATE = 48_000;
/** Sample frames in the ring between the mixer and the sound device: two seconds. */
export const RING_FRAMES = 2 * SAMPLE_RATE;

export class Control {
  private readonly values: Int32Array;
  /** Stereo samples, interleaved. */
  readonly ring: Float32Array;

  constructor(readonly buffer: SharedArrayBuffer) {
    this.values = new Int32Array(buffer, 0, FIELDS.length);
    this.ring = new Float32Array(buffer, HEADER_BYTES, RING_FRAMES * 2);
  }

  static create(): Control {
    const control = new Control(
      new SharedArrayBuffer(HEADER_BYTES + RING_FRAMES * 2 * Float32Array.BYTES_PER_ELEMENT),
    );
    control.set('shownFrame', -1);
    return control;
  }

  get(field: ControlField): number {
    return Atomics.load(this.values, FIELDS.indexOf(field));
  }

  set(field: ControlField, value: number): void {
    Atomics.store(this.values, FIELDS.indexOf(field), value);
  }

  /** What mixing took and what was missing since the start. */
  soundFacts(): { mixMs: number; gapSamples: number } {
    return { mixMs: this.get('soundMicros') / 1000, gapSamples: this.get('soundGaps') };
  }

  /** Begins to count sound from zero, for a new start. @returns its epoch */
  beginEpoch(): number {
    const epoch = this.get('epoch') + 1;
    for (const field of ['soundMicros', 'soundGaps', 'played', 'written'] as const) this.set(field, 0);
    this.set('epoch', epoch);
    return epoch;
  }

  /** Playhead in frames and fractions. */
  get playhead(): number {
    return this.get('playhead') / 1000;
  }

  set playhead(frames: number) {
    this.set('playhead', Math.round(frames * 1000));
  }
}

const HEADER_BYTES = 64;
