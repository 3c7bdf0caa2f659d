import { SmoothClock } from '@hone/core/pacing';
import { SAMPLE_RATE, type Control } from '../shared/control.js';

/** Without a sound device that moves for so long, the system clock takes over. */
const SILENT_DEVICE_MS = 700;

/** Time since playback began, by the sound device, or by the system clock where none runs. */
export class RunClock {
  private readonly smooth = new SmoothClock();
  private readonly startedAt = performance.now();
  private source: 'sound' | 'system';

  /** @param latencyMs from the moment the device takes a sample until it is heard */
  constructor(
    private readonly control: Control,
    source: 'sound' | 'system',
    private readonly latencyMs: number,
  ) {
    this.source = source;
  }

  get kind(): 'sound' | 'system' {
    return this.source;
  }

  elapsedMs(): number {
    const now = performance.now();
    const sinceStart = now - this.startedAt;
    if (this.source === 'system') return sinceStart;
    const played = this.control.get('played');
    if (played === 0) {
      if (sinceStart < SILENT_DEVICE_MS) return 0;
      this.source = 'system';
      return sinceStart;
    }
    return Math.max(0, this.smooth.read((1000 * played) / SAMPLE_RATE - this.latencyMs, now));
  }
}
