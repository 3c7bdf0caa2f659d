import { describe, expect, it } from 'vitest';
import { FrameLog } from '../playback/index.js';
import { CpuSpeedProcess } from '../simulation/index.js';
import { assumedVariability, updateVariability, speedVariabilityOf, type SpeedVariability } from './index.js';

const RATE = 24;
const SECONDS = 20;

function logOf(msAt: (frame: number) => number, rate = RATE): FrameLog {
  const log = FrameLog.empty(0, SECONDS * rate);
  for (let frame = 0; frame < SECONDS * rate; frame++) {
    log.set(frame, 'settled', 1);
    log.set(frame, 'due', (1000 * frame) / rate);
    log.set(frame, 'decode', msAt(frame));
    log.set(frame, 'decoded', 1);
  }
  return log;
}

const whole = [{ from: 0, to: SECONDS * RATE }];
const said = logOf(() => 20);

/** What runs on a machine with a tempo teach. */
function taught(unsteadiness: number, runs: number): SpeedVariability | undefined {
  let known: SpeedVariability | undefined;
  for (let run = 1; run <= runs; run++) {
    const tempo = new CpuSpeedProcess(unsteadiness, run);
    const real = logOf((frame) => 20 * tempo.at((1000 * frame) / RATE));
    known = updateVariability(known, real, said, whole, true);
  }
  return known;
}

describe('how unsteady a machine is', () => {
  it('is not known before a run, and computed with then where a machine was measured', () => {
    expect(speedVariabilityOf(undefined)).toBe(0);
    expect(assumedVariability(undefined, { thoroughness: 'given' })).toBeUndefined();
    const known = { variance: 0.2, seconds: 60, ofRuns: 0.1, runs: 5 };
    for (const thoroughness of ['quick', 'thorough'] as const) {
      expect(speedVariabilityOf(assumedVariability(undefined, { thoroughness }))).toBeGreaterThan(0.05);
      expect(assumedVariability(known, { thoroughness })).toBe(known);
    }
  });

  it.each([0.1, 0.25])('is found out from runs of a machine of %s', (truth) => {
    const found = speedVariabilityOf(taught(truth, 12));
    expect(found / truth).toBeGreaterThan(0.8);
    expect(found / truth).toBeLessThan(1.2);
  });

  it('comes near none in a few runs of a steady one, as a whole and from run to run', () => {
    const known = taught(0, 12)!;
    expect(speedVariabilityOf(known)).toBeLessThan(0.04);
    expect(Math.sqrt(known.ofRuns)).toBeLessThan(0.05);
  });

  it('tells what runs as a whole are off by, once their coding is known', () => {
    let [known, unknown]: (SpeedVariability | undefined)[] = [undefined, undefined];
    for (let run = 0; run < 20; run++) {
      const real = logOf(() => 20 * (run % 2 ? 1.2 : 1 / 1.2));
      known = updateVariability(known, real, said, whole, true);
      unknown = updateVariability(unknown, real, said, whole, false);
    }
    expect(Math.sqrt(known!.ofRuns) / Math.log(1.2)).toBeGreaterThan(0.85);
    expect(Math.sqrt(known!.ofRuns) / Math.log(1.2)).toBeLessThan(1.05);
    expect(unknown!.runs).toBe(4);
  });

  it('does not blame the cores for cuts, for jumps, nor for what takes next to nothing', () => {
    const cuts = Array.from({ length: SECONDS }, (_, at) => ({ from: at * RATE, to: at * RATE + RATE }));
    const wild = logOf((frame) => (frame % 48 < 24 ? 40 : 10));
    expect(updateVariability(undefined, wild, said, cuts, true)).toBeUndefined();
    const small = logOf(() => 2);
    expect(updateVariability(undefined, wild, small, whole, true)).toBeUndefined();
    // One second in which a jump took all the time.
    const jump = logOf((frame) => (frame >= 240 && frame < 264 ? 400 : 20));
    expect(speedVariabilityOf(updateVariability(undefined, jump, said, whole, true))).toBeLessThan(0.1);
  });

  it('goes by seconds whatever the rate', () => {
    const tempo = new CpuSpeedProcess(0.2, 3);
    const real = logOf((frame) => 12 * tempo.at((1000 * frame) / 60), 60);
    const known = updateVariability(
      undefined,
      real,
      logOf(() => 12, 60),
      [{ from: 0, to: SECONDS * 60 }],
      true,
    )!;
    // All seconds but the first, into which the cut falls.
    expect(known.seconds).toBe(10 + SECONDS - 2);
  });
});
