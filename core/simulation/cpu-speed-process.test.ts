import { describe, expect, it } from 'vitest';
import { SPEED_CORRELATION_MS } from '../cost-model/index.js';
import { CpuSpeedProcess } from './index.js';

const STEP = 100;

const logsOf = (unsteadiness: number, seed: number, steps: number): number[] => {
  const speed = new CpuSpeedProcess(unsteadiness, seed);
  return Array.from({ length: steps }, (_, at) => Math.log(speed.at(at * STEP + 1)));
};

const mean = (values: readonly number[]): number =>
  values.reduce((sum, each) => sum + each, 0) / values.length;

describe('the speed of a machine', () => {
  it('is always the same on a steady one, and before anything is played', () => {
    const steady = new CpuSpeedProcess(0, 1);
    expect([0, 50, 12_345, 600_000].map((ms) => steady.at(ms))).toEqual([1, 1, 1, 1]);
    const unsteady = new CpuSpeedProcess(0.3, 1);
    expect([NaN, -1].map((ms) => unsteady.at(ms))).toEqual([1, 1]);
  });

  // An Ornstein-Uhlenbeck process: stationary standard deviation sigma, autocorrelation exp(-t / tau).
  it('has the mean, the spread and the memory that are asked for', () => {
    const logs = [1, 2, 3, 4].map((seed) => logsOf(0.2, seed, 20_000));
    const times = mean(logs.map((each) => mean(each.map(Math.exp))));
    expect(times).toBeGreaterThan(0.98);
    expect(times).toBeLessThan(1.02);
    const [spread, kept] = [0, SPEED_CORRELATION_MS / STEP].map((lag) =>
      mean(
        logs.map((each) => {
          const middle = mean(each);
          const products = each.slice(lag).map((value, at) => (value - middle) * (each[at]! - middle));
          return mean(products);
        }),
      ),
    );
    expect(Math.sqrt(spread!) / 0.2).toBeGreaterThan(0.95);
    expect(Math.sqrt(spread!) / 0.2).toBeLessThan(1.05);
    expect(kept! / spread!).toBeGreaterThan(Math.exp(-1) - 0.06);
    expect(kept! / spread!).toBeLessThan(Math.exp(-1) + 0.06);
  });

  it('is the same at a moment whatever was asked before, and another for another seed', () => {
    const speed = new CpuSpeedProcess(0.2, 5);
    const late = speed.at(9_000);
    expect(new CpuSpeedProcess(0.2, 5).at(9_000)).toBe(late);
    expect(speed.at(9_050)).toBe(late);
    expect(new CpuSpeedProcess(0.2, 6).at(9_000)).not.toBe(late);
  });
});
