import { describe, expect, it } from 'vitest';
import { FrameLog, pacingSummary, type LogColumn } from '../playback/index.js';
import { rational } from '../time/index.js';
import type { RenderGraph } from '../render/index.js';
import { concurrencyOf, limitingStage, overloadedSources } from './index.js';

const RATE = rational(24);

function run(
  costs: Partial<Record<LogColumn, number>>,
  isDropped: (frame: number) => boolean,
  frames = 240,
): FrameLog {
  const log = FrameLog.empty(0, frames);
  for (let frame = 0; frame < frames; frame++) {
    log.set(frame, 'settled', 1);
    log.set(frame, 'due', frame * 41.67);
    if (!isDropped(frame)) log.set(frame, 'shown', frame * 41.67 + 1);
    for (const [column, ms] of Object.entries(costs)) {
      // Dropped frames were decoded, but never scaled or shown.
      if (isDropped(frame) && ['scale', 'compose', 'show'].includes(column)) continue;
      log.set(frame, column as LogColumn, ms);
    }
  }
  return log;
}

const findingOf = (log: FrameLog) => limitingStage(log, pacingSummary(log, RATE), RATE);

describe('the limiting stage', () => {
  it('is decoding when a 60 a second clip is decoded whole for 24: 2.5 pictures for one', () => {
    const finding = findingOf(
      run({ decode: 60, decoded: 2.5, scale: 6, show: 5 }, (frame) => frame % 3 === 0),
    )!;
    expect(finding.stage).toBe('decode');
    expect(finding.loadPercent.decode).toBeCloseTo((60 / 41.667) * 100, 0);
    expect(finding.decodedPerFrame).toBeCloseTo(2.5);
    expect(finding.loadPercent.show).toBeCloseTo(12, 0);
  });

  it('is showing at 1:1 on a machine without a graphics processor', () => {
    expect(
      findingOf(run({ decode: 22, decoded: 1, scale: 4, show: 48 }, (frame) => frame % 2 === 0))!.stage,
    ).toBe('show');
  });

  it('is reading when the drive cannot feed the decoder', () => {
    expect(
      findingOf(run({ read: 70, decode: 12, decoded: 1, show: 4 }, (frame) => frame % 2 === 0))!.stage,
    ).toBe('read');
  });

  it('is what the worker does to a picture, where its decoder only waits for it to be taken', () => {
    const late = (frame: number): boolean => frame % 2 === 0;
    expect(findingOf(run({ decode: 52, decoded: 1, scale: 6, effects: 44, show: 5 }, late))!.stage).toBe(
      'effects',
    );
    expect(findingOf(run({ decode: 52, decoded: 1, scale: 6, effects: 20, show: 5 }, late))!.stage).toBe(
      'decode',
    );
  });

  it('is not decoding, where two decoders share it and one worker does the effects of both', () => {
    const log = run(
      { decode: 96, decoded: 2.5, scale: 20, effects: 56, show: 5 },
      (frame) => frame % 2 === 0,
    );
    expect(findingOf(log)!.stage).toBe('decode');
    const layers = [{}, {}] as unknown as RenderGraph['stretches'][number]['layers'];
    const stretches = [{ from: 0, to: 240, layers }];
    const beside = concurrencyOf({ stretches }, 1);
    expect(limitingStage(log, pacingSummary(log, RATE), RATE, beside)!.stage).toBe('effects');
    // With a worker for each, both lines have two that work side by side.
    const two = concurrencyOf({ stretches }, 2);
    expect(limitingStage(log, pacingSummary(log, RATE), RATE, two)!.stage).toBe('decode');
  });

  it('is the line whose stages together take longest, not the stage that is longest alone', () => {
    const late = (frame: number): boolean => frame % 2 === 0;
    const finding = findingOf(run({ decode: 30, decoded: 1, scale: 8, compose: 24, show: 27 }, late))!;
    expect(finding.stage).toBe('show');
  });

  it('is none when the run was real time', () => {
    const finding = findingOf(run({ decode: 3, decoded: 1, show: 4 }, () => false))!;
    expect(finding.stage).toBeNull();
    expect(finding).toMatchObject({ from: 0, to: 240, dropped: 0 });
    expect(
      findingOf(run({ decode: 3, decoded: 1 }, (frame) => frame === 7 || frame === 8))!.stage,
    ).toBeNull();
  });

  it('is looked for around the frames that were dropped', () => {
    const finding = findingOf(run({ decode: 60, decoded: 1 }, (frame) => frame >= 100 && frame < 140))!;
    expect([finding.from, finding.to]).toEqual([76, 164]);
  });

  it('is not known without frames', () => {
    expect(findingOf(FrameLog.empty(0, 10))).toBeNull();
  });
});

describe('the sources that need a lighter copy', () => {
  const layer = (sourceId: string) => ({
    clipId: sourceId,
    sourceId,
    clipStart: 0,
    sourceIn: rational(0),
    speed: rational(1),
    effects: [],
    framing: 'fit' as const,
    mix: null,
  });
  const graph = {
    rate: RATE,
    length: 72,
    size: { width: 3840, height: 2160 },
    stretches: [
      { from: 0, to: 24, layers: [layer('light')] },
      { from: 24, to: 48, layers: [layer('heavy')] },
      { from: 48, to: 72, layers: [layer('heavier')] },
    ],
    sound: [],
  };

  it('are those that take most of the budget, the heaviest first', () => {
    const log = FrameLog.empty(0, 72);
    for (let frame = 0; frame < 72; frame++) {
      log.set(frame, 'decoded', 1);
      log.set(frame, 'decode', frame < 24 ? 6 : frame < 48 ? 30 : 60);
    }
    expect(overloadedSources(log, graph)).toEqual(['heavier', 'heavy']);
  });

  it('are not blamed for frames that were never decoded', () => {
    const log = FrameLog.empty(0, 72);
    log.set(30, 'decoded', 1);
    log.set(30, 'decode', 50);
    expect(overloadedSources(log, graph)).toEqual(['heavy']);
    expect(overloadedSources(FrameLog.empty(0, 72), graph)).toEqual([]);
  });
});
