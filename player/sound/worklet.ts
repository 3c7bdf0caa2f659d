import { Control, RING_FRAMES } from '../shared/control.js';

/** Takes mixed sound out of the ring and counts what it took: the clock of playback. */
class RingOutput extends AudioWorkletProcessor {
  private readonly control: Control;
  private epoch = -1;
  private played = 0;

  constructor(options: { processorOptions?: unknown }) {
    super();
    const { control } = options.processorOptions as { control: SharedArrayBuffer };
    this.control = new Control(control);
  }

  process(_inputs: Float32Array[][], outputs: Float32Array[][]): boolean {
    const [left, right] = outputs[0] ?? [];
    if (!left || this.control.get('running') === 0) return true;
    const epoch = this.control.get('epoch');
    if (epoch !== this.epoch) {
      this.epoch = epoch;
      this.played = 0;
    }
    const ready = Math.max(0, Math.min(left.length, this.control.get('written') - this.played));
    const { ring } = this.control;
    for (let i = 0; i < ready; i++) {
      const at = 2 * ((this.played + i) % RING_FRAMES);
      left[i] = ring[at]!;
      (right ?? left)[i] = ring[at + 1]!;
    }
    if (ready < left.length)
      this.control.set('soundGaps', this.control.get('soundGaps') + left.length - ready);
    this.played += left.length;
    this.control.set('played', this.played);
    return true;
  }
}

registerProcessor('hone-ring-output', RingOutput);
