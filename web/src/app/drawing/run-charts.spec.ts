import { FrameLog, type RunSample } from '@hone/core/playback';
import { describe, expect, it } from 'vitest';
import { atFrames, drawHistogram, drawSamples } from './run-charts';
import { NAMED_COLOURS } from './testing-palette';

const palette = NAMED_COLOURS;
const axis = { from: 0, to: 50, left: 0, right: 50 };

function recorder() {
  const bars: { colour: string; x: number; y: number; width: number; height: number }[] = [];
  const texts: string[] = [];
  const context = {
    fillStyle: '',
    textAlign: '',
    fillRect(x: number, y: number, width: number, height: number) {
      bars.push({ colour: this.fillStyle, x, y, width, height });
    },
    fillText: (text: string) => texts.push(text),
  };
  return { context: context as unknown as CanvasRenderingContext2D, bars, texts };
}

const sample = (atMs: number): RunSample => ({
  atMs,
  cores: [0.5, 1],
  readBytesPerSecond: null,
  usedMemoryBytes: 1e9,
  serverMemoryBytes: 1e8,
  power: 'mains',
});

describe('the charts of a run', () => {
  const log = FrameLog.empty(0, 50);
  for (let frame = 0; frame < 50; frame++) {
    log.set(frame, 'due', 100 + 40 * frame);
    log.set(frame, 'decode', 20);
    log.set(frame, 'show', 10);
  }

  it('put samples at the frames that were due, and leave out what the system does not tell', () => {
    const samples = [sample(100), sample(300), sample(1100)];
    expect(atFrames(samples, log, 40, ({ cores }) => cores[0]!)).toEqual([
      { frame: 0, value: 0.5 },
      { frame: 5, value: 0.5 },
      { frame: 25, value: 0.5 },
    ]);
    expect(atFrames(samples, log, 40, ({ readBytesPerSecond }) => readBytesPerSecond)).toEqual([]);
    const { context, bars } = recorder();
    const points = atFrames(samples, log, 40, ({ cores }) => cores[0]!);
    drawSamples(context, axis, { top: 0, height: 30 }, points, 1, palette);
    expect(bars.filter(({ colour }) => colour === 'quiet')).toEqual([
      { colour: 'quiet', x: 0, y: 15, width: 5, height: 15 },
      { colour: 'quiet', x: 5, y: 15, width: 20, height: 15 },
    ]);
  });

  it('count every frame once in the histogram', () => {
    const { context, texts } = recorder();
    drawHistogram(context, 300, 100, { upTo: [0.1, 0.5], frames: [30, 12, 3], dropped: 5 }, palette);
    expect(texts).toEqual(['30', '≤ 10 %', '12', '≤ 50 %', '3', 'more', '5', 'dropped']);
  });
});
