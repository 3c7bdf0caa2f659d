import { SPEED_CORRELATION_MS } from '../cost-model/index.js';
import { normalOf, randomOf } from './random.js';

/** Step of the CPU-speed process, ms. */
const STEP_MS = 100;
const KEPT = Math.exp(-STEP_MS / SPEED_CORRELATION_MS);

/**
 * How fast the cores are from moment to moment. Other programs, other guests of the host and its clock make them faster
 * and slower by turns; near the frame budget a run loses more to slow spells than it gains from fast ones. A stationary
 * Ornstein-Uhlenbeck process of the logarithm (Gillespie, Exact numerical simulation of the Ornstein-Uhlenbeck process,
 * Physical Review E 54, 1996), whose mean cost is the one without it.
 */
export class CpuSpeedProcess {
  private readonly times: number[] = [];
  private state: number;
  private readonly random: () => number;

  /** @param variability standard deviation of the natural logarithm of what the same work takes; 0 for a steady machine */
  constructor(
    private readonly variability: number,
    seed: number,
  ) {
    this.random = randomOf(seed);
    this.state = variability > 0 ? variability * normalOf(this.random) : 0;
  }

  /** Time factor of the cores. @param ms from the first frame on; before it, 1 */
  at(ms: number): number {
    if (!(this.variability > 0 && ms >= 0)) return 1;
    const step = Math.floor(ms / STEP_MS);
    while (this.times.length <= step) {
      this.times.push(Math.exp(this.state - this.variability ** 2 / 2));
      this.state = KEPT * this.state + this.variability * Math.sqrt(1 - KEPT ** 2) * normalOf(this.random);
    }
    return this.times[step]!;
  }
}
