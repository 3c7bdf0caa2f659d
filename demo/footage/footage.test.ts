import { createCanvas } from '@napi-rs/canvas';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { readCube } from '@hone/core/interchange';
import { timelineEffectFault } from '@hone/core/render';
import { toNumber } from '@hone/core/time';
import { timelineFaults, timelineLength } from '@hone/core/timeline';
import { SLACK_WATER_SHORT, timelineOf } from '../scenario.js';
import { duskTable, slackWater } from '../slack-water.js';
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
  const full = slackWater((shot) => shot, 'a'.repeat(64));
  const short = timelineOf(SLACK_WATER_SHORT, (shot) => shot);

  it.each([
    ['Slack Water', full],
    ['Slack Water, short', short],
  ] as const)('%s can be played, from footage that is long enough', (_name, timeline) => {
    expect(timelineFaults(timeline)).toEqual([]);
    expect(timelineEffectFault(timeline)).toBeUndefined();
    for (const clip of timeline.tracks.flatMap(({ clips }) => clips)) {
      const footage = SHOTS.find(({ file }) => file === clip.sourceId)!;
      expect(toNumber(clip.sourceIn) + clip.length / 24, clip.id).toBeLessThanOrEqual(footage.seconds);
    }
  });

  it('lasts two minutes, and has what makes timelines heavy', () => {
    expect(timelineLength(full)).toBeGreaterThanOrEqual(120 * 24);
    const pictures = full.tracks.filter(({ kind }) => kind === 'picture');
    expect(pictures).toHaveLength(5);
    expect(full.tracks.filter(({ kind }) => kind === 'sound')).toHaveLength(3);
    const takes = pictures.map(({ clips }) => clips.filter(({ start }) => start === 720));
    expect(takes.map(({ length }) => length)).toEqual([1, 1, 1, 1, 1]);
    const kinds = (pictures[0]!.transitions ?? []).map(({ kind }) => kind);
    expect(kinds.filter((kind) => kind === 'crossfade')).toHaveLength(7);
    const effects = pictures.flatMap(({ clips }) => clips.flatMap((clip) => clip.effects ?? []));
    for (const kind of ['title', 'table', 'exposure', 'transform', 'mask'])
      expect(effects.some((each) => each.kind === kind)).toBe(true);
  });

  it('has a colour table that can be read', () => {
    expect(readCube(duskTable())).toMatchObject({ kind: '3D', size: 17, title: 'Dusk at the mill' });
  });

  it('is drawn the same every time, and moves', () => {
    const draw = (index: number, seconds: number): Buffer => {
      const canvas = createCanvas(STAGE.width, STAGE.height);
      SHOTS.filter(({ scene }) => scene)[index]!.scene!(canvas.getContext('2d'), seconds);
      return Buffer.from(canvas.data());
    };
    for (let index = 0; index < 6; index++) {
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
