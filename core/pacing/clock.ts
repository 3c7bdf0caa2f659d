/**
 * Smooths a clock that advances in steps, as sound devices do, so that frames can be due between the steps. It
 * follows the steps slowly and never runs backwards.
 */
export class SmoothClock {
  private offsetMs = NaN;
  private lastMs = -Infinity;

  /**
   * @param steppedMs what the stepping clock says
   * @param nowMs a fine clock of the same speed with another zero
   * @returns ms on the stepping clock's axis
   */
  read(steppedMs: number, nowMs: number): number {
    const observed = steppedMs - nowMs;
    const jump = Number.isNaN(this.offsetMs) || Math.abs(observed - this.offsetMs) > JUMP_MS;
    this.offsetMs = jump ? observed : this.offsetMs + GAIN * (observed - this.offsetMs);
    if (jump) this.lastMs = -Infinity;
    this.lastMs = Math.max(this.lastMs, nowMs + this.offsetMs);
    return this.lastMs;
  }
}

const JUMP_MS = 150;
const GAIN = 0.02;
