import { describe, expect, it } from 'vitest';
import { FrameLog } from '../playback/index.js';
import { randomOf } from '../simulation/index.js';
import {
  calibrate,
  calibrationOn,
  decodeFactorOf,
  factorOf,
  UNCALIBRATED,
  withLearned,
  type Calibration,
} from './index.js';
import type { ComposeProcessor } from '../levers/index.js';

const FRAMES = 96;

function logOf(decodeMs: (frame: number) => number, showMs = 3): FrameLog {
  const log = FrameLog.empty(0, FRAMES);
  for (let frame = 0; frame < FRAMES; frame++) {
    log.set(frame, 'settled', 1);
    log.set(frame, 'decode', decodeMs(frame));
    log.set(frame, 'decoded', 1);
    log.set(frame, 'show', showMs);
  }
  return log;
}

/** Ten seconds in which a picture takes so long. */
function longLogOf(decodeMs: number): FrameLog {
  const log = FrameLog.empty(0, 240);
  for (let frame = 0; frame < 240; frame++) {
    log.set(frame, 'settled', 1);
    log.set(frame, 'due', (1000 * frame) / 24);
    log.set(frame, 'decode', decodeMs);
    log.set(frame, 'decoded', 1);
  }
  return log;
}

describe('what runs teach', () => {
  it('comes near the truth in a few runs, and stays there', () => {
    const random = randomOf(3);
    let calibration = UNCALIBRATED;
    for (let run = 0; run < 12; run++) {
      // The truth is half as much again; each run is off by up to a tenth.
      const off = 0.9 + 0.2 * random();
      const said = 10 * factorOf(calibration, 'decode');
      calibration = calibrate(
        calibration,
        logOf(() => 15 * off),
        logOf(() => said),
      );
    }
    expect(factorOf(calibration, 'decode')).toBeGreaterThan(1.38);
    expect(factorOf(calibration, 'decode')).toBeLessThan(1.62);
    expect(calibration.decode.variance).toBeLessThan(UNCALIBRATED.decode.variance / 3);
  });

  it('of composing and showing holds for the processor that did it, and what else it teaches for both', () => {
    let calibration: Calibration = UNCALIBRATED;
    const play = (on: ComposeProcessor, showMs: number): void => {
      const known = calibrationOn(calibration, on);
      const said = logOf(() => 10 * factorOf(known, 'decode'), 5 * factorOf(known, 'show'));
      calibration = withLearned(
        calibration,
        calibrate(
          known,
          logOf(() => 15, showMs),
          said,
        ),
        on,
      );
    };
    for (let run = 0; run < 12; run++) play('processor', 8);
    for (let run = 0; run < 12; run++) play('graphics processor', 3.5);
    expect(factorOf(calibration, 'show')).toBeCloseTo(8 / 5, 1);
    expect(factorOf(calibrationOn(calibration, 'graphics processor'), 'show')).toBeCloseTo(3.5 / 5, 1);
    expect(factorOf(calibration, 'decode')).toBeCloseTo(1.5, 1);
    play('processor', 8);
    expect(factorOf(calibrationOn(calibration, 'graphics processor'), 'show')).toBeCloseTo(3.5 / 5, 1);
  });

  it('follows a machine that has changed, since it forgets slowly', () => {
    let calibration = UNCALIBRATED;
    const play = (truth: number): void => {
      const said = 10 * factorOf(calibration, 'decode');
      calibration = calibrate(
        calibration,
        logOf(() => truth),
        logOf(() => said),
      );
    };
    for (let run = 0; run < 20; run++) play(10);
    for (let run = 0; run < 20; run++) play(20);
    expect(factorOf(calibration, 'decode')).toBeGreaterThan(1.8);
  });

  it('says nothing of stages that took next to nothing', () => {
    const after = calibrate(
      UNCALIBRATED,
      logOf(() => 12),
      logOf(() => 12),
    );
    expect(after.effects.log).toBe(0);
    expect(after.compose.variance).toBeGreaterThanOrEqual(UNCALIBRATED.compose.variance);
    expect(after.decode.variance).toBeLessThan(UNCALIBRATED.decode.variance);
  });

  it('tells one kind of coding from another, where a frame is made of that kind alone', () => {
    const passages = [
      { from: 0, to: 40, coding: 'long' },
      { from: 36, to: 96, coding: 'intra' },
    ];
    let calibration = UNCALIBRATED;
    for (let run = 0; run < 8; run++) {
      const said = (frame: number): number =>
        frame < 36 ? 20 * decodeFactorOf(calibration, 'long') : 20 * decodeFactorOf(calibration, 'intra');
      // In the overlap of both nothing can be told.
      const truth = (frame: number): number => (frame < 36 ? 30 : frame < 40 ? 500 : 10);
      calibration = calibrate(calibration, logOf(truth), logOf(said), passages);
    }
    expect(decodeFactorOf(calibration, 'long')).toBeCloseTo(1.5, 1);
    expect(decodeFactorOf(calibration, 'intra')).toBeCloseTo(0.5, 1);
    expect(decodeFactorOf(calibration, 'never played')).toBe(factorOf(calibration, 'decode'));
    // What is not played in a run stays as it was.
    const after = calibrate(
      calibration,
      logOf(() => 45),
      logOf(() => 15),
      [{ from: 0, to: 96, coding: 'third' }],
    );
    expect(decodeFactorOf(after, 'long')).toBe(decodeFactorOf(calibration, 'long'));
    expect(decodeFactorOf(after, 'third')).toBeGreaterThan(2);
  });

  it('does not take for a picture what a decoder needs to begin, or to reach the place of a cut', () => {
    const passages = [0, 24, 48, 72].map((from) => ({ from, to: from + 24, coding: 'long' }));
    const after = calibrate(
      UNCALIBRATED,
      logOf((frame) => (frame % 24 ? 20 : 400)),
      logOf((frame) => (frame % 24 ? 20 : 100)),
      passages,
    );
    expect(decodeFactorOf(after, 'long')).toBeCloseTo(1, 6);
  });

  it('learns the error of predictions from runs of other clips, and not from the same run again', () => {
    const play = (names: readonly string[]): number => {
      let calibration = UNCALIBRATED;
      for (const name of names) {
        const long = name === 'a' ? 220 : 230;
        const said = longLogOf(20 * decodeFactorOf(calibration, 'long'));
        const passages = [{ from: 0, to: long, coding: 'long' }];
        calibration = calibrate(calibration, longLogOf(24), said, passages);
      }
      return calibration.unsteadiness!.runs;
    };
    const before = play(['a']);
    expect(play(['a', 'b', 'a', 'b', 'a', 'b'])).toBeGreaterThan(before + 2);
    // Until the coding is known no run counts, and then only the first after another one does.
    expect(play(['a', 'a', 'a', 'a', 'a', 'a', 'b', 'b'])).toBe(before + 1);
  });

  it('takes a kind that was never played for something like its family', () => {
    const calibration = {
      ...UNCALIBRATED,
      decode: { log: 1, variance: 0.1 },
      codings: [
        { coding: 'browser h264 long-GOP, 8.3 MP, 2^-2 bits a pixel', log: 0.2, variance: 0.01 },
        { coding: 'browser h264 long-GOP, 2.1 MP, 2^-2 bits a pixel', log: 0.4, variance: 0.01 },
        { coding: 'browser h264 intra, 0.5 MP, 2^0 bits a pixel', log: 0.9, variance: 0.01 },
      ],
    };
    const log = (coding: string): number => Math.log(decodeFactorOf(calibration, coding));
    expect(log('browser h264 long-GOP, 8.3 MP, 2^-2 bits a pixel')).toBeCloseTo(0.2);
    expect(log('browser h264 long-GOP, 8.3 MP, 2^-4 bits a pixel')).toBeCloseTo(0.2);
    expect(log('browser hevc long-GOP, 8.3 MP, 2^-2 bits a pixel')).toBeCloseTo(1);
  });

  it('learns little from a stage that takes little', () => {
    const after = (ms: number): number => {
      const once = calibrate(
        UNCALIBRATED,
        logOf(() => 20, 2 * ms),
        logOf(() => 20, ms),
      );
      return factorOf(once, 'show');
    };
    expect(after(20)).toBeGreaterThan(1.5);
    expect(after(0.5)).toBeLessThan(1.15);
  });

  it('compares the frames of the run only', () => {
    const said = logOf((frame) => (frame < 48 ? 10 : 1000));
    const measured = new FrameLog(0, logOf(() => 10).values.slice(0, said.values.length / 2));
    expect(calibrate(UNCALIBRATED, measured, said).decode.log).toBeCloseTo(0);
  });
});
