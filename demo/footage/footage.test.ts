import { createCanvas } from '@napi-rs/canvas';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { timelineFaults, timelineLength } from '@hone/core/timeline';
import { SLACK_WATER, SLACK_WATER_SHORT, timelineOf } from '../scenario.js';
import { codedFrame } from './coded-clip.js';
import { codeBits, readCode } from './frame-code.js';
import { STAGE } from './scene.js';
import { SHOTS } from './shots.js';
import { voice, water } from './sound.js';

describe('the frame code', () => {
  it('is read from a picture as it was written, also when the picture is reduced', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 4095 }), fc.integer({ min: 0, max: 7 }), (frame, source) => {
        const bits = codeBits({ frame, source });
        expect(readCode((x) => (bits[Math.floor(x * 16)] ? 235 : 16))).toEqual({ frame, source });
      }),
    );
    const picture = codedFrame(320, 180, 1234, 5);
    expect(readCode((x, y) => picture[Math.floor(y * 180) * 320 + Math.floor(x * 320)]!)).toEqual({
      frame: 1234,
      source: 5,
    });
  });

  it('is not read from what is no code', () => {
    expect(readCode(() => 128)).toBeUndefined();
    expect(readCode((x) => (x < 1 / 16 ? 235 : 16))).toBeUndefined();
    expect(() => codeBits({ frame: 4096, source: 0 })).toThrow(RangeError);
  });
});

describe('the demo', () => {
  it.each([
    ['Slack Water', SLACK_WATER],
    ['Slack Water, short', SLACK_WATER_SHORT],
  ] as const)('%s can be played, from footage that is long enough', (_name, cuts) => {
    const timeline = timelineOf(cuts, (shot) => shot.replace(/\W/g, ''));
    expect(timelineFaults(timeline)).toEqual([]);
    for (const [shot, second, frames] of cuts) {
      const footage = SHOTS.find(({ file }) => file === shot)!;
      expect(second + frames / 24).toBeLessThanOrEqual(footage.seconds);
    }
  });

  it('lasts 40 seconds or more and is cut from at least four cameras', () => {
    expect(timelineLength(timelineOf(SLACK_WATER, (shot) => shot))).toBeGreaterThanOrEqual(40 * 24);
    expect(new Set(SLACK_WATER.map(([shot]) => shot)).size).toBeGreaterThanOrEqual(4);
  });

  it('is drawn the same every time, and moves', () => {
    const draw = (index: number, seconds: number): Buffer => {
      const canvas = createCanvas(STAGE.width, STAGE.height);
      SHOTS.filter(({ scene }) => scene)[index]!.scene!(canvas.getContext('2d'), seconds);
      return Buffer.from(canvas.data());
    };
    for (let index = 0; index < 5; index++) {
      const once = draw(index, 1);
      expect(once.equals(draw(index, 1))).toBe(true);
      expect(once.equals(draw(index, 1.25))).toBe(false);
    }
  });

  it('sounds the same every time, and stays within full scale', () => {
    for (const make of [water, voice]) {
      const samples = make(2, 5);
      expect(samples).toEqual(make(2, 5));
      const loudest = samples.reduce((most, sample) => Math.max(most, Math.abs(sample)), 0);
      expect(loudest).toBeGreaterThan(0.05);
      expect(loudest).toBeLessThan(1);
    }
  });
});
