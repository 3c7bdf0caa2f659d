import type { Passage } from '@hone/core/render';
import { describe, expect, it } from 'vitest';
import type { MediaFile } from '../plan.js';
import { VIDEO_BT709 } from '../shared/picture.js';
import { ScriptedDecoder } from '../testing/scripted-decoder.js';
import { StreamSet } from './stream-set.js';

const SIZE = { width: 640, height: 360 };
const RATE = { num: 24, den: 1 };
const file: MediaFile = {
  choice: 'original',
  url: '/media/sources/a',
  size: SIZE,
  rate: RATE,
  constantRate: true,
  quarters: 0,
  shownSize: SIZE,
  pixels: SIZE,
  frameCount: 100,
  framesUrl: null,
  serverOnly: null,
  hasAlpha: false,
  stacked: null,
  premultiplied: false,
};
const passage = (clipId: string, from: number, to: number): Passage => ({
  clipId,
  sourceId: 'a',
  from,
  to,
  clipStart: from,
  sourceIn: { num: 0, den: 1 },
  speed: { num: 1, den: 1 },
  effects: [],
  framing: 'fit',
});
const cost = { readMs: 0, decodeMs: 1, scaleMs: 1, effectsMs: 0, decoded: 1 };

function setUp(slots: number[]): {
  set: StreamSet;
  decoder: ScriptedDecoder;
  failed: string[];
  picture: (stream: number, frame: number, address: number, repeated?: boolean) => void;
} {
  const decoder = new ScriptedDecoder();
  const failed: string[] = [];
  const set = new StreamSet([decoder], {
    changed: () => undefined,
    cost: () => undefined,
    reached: () => undefined,
    failed: (_passage, message) => failed.push(message),
  });
  set.reset(slots);
  const picture = (stream: number, frame: number, address: number, repeated = false): void =>
    decoder.reply({
      kind: 'picture',
      stream,
      frame,
      address,
      repeated,
      coding: VIDEO_BT709,
      decoder: 'browser',
      cost,
    });
  return { set, decoder, failed, picture };
}

const options = {
  ...{ frameSize: SIZE, rate: RATE, live: true, turned: 12 },
  ...{ scaling: 'quick' as const, recoded: false },
};

describe('the streams', () => {
  it('give room first to whoever needs it for the earliest frame', () => {
    const { set, decoder } = setUp([1, 2, 3, 4]);
    set.open(passage('late', 50, 60), file, { ...options, from: 50 });
    set.share();
    expect(decoder.granted(1)).toHaveLength(4);
    const second = setUp([1, 2, 3, 4]);
    second.set.open(passage('now', 0, 3), file, { ...options, from: 0 });
    second.set.open(passage('next', 3, 9), file, { ...options, from: 3 });
    second.set.share();
    expect(second.decoder.granted(1)).toHaveLength(3);
    expect(second.decoder.granted(2)).toHaveLength(1);
  });

  it('share the room when two begin at one frame, so that neither waits for the other', () => {
    const { set, decoder } = setUp([1, 2, 3, 4]);
    set.open(passage('below', 0, 90), file, { ...options, from: 0 });
    set.open(passage('above', 0, 90), file, { ...options, from: 0 });
    set.share();
    expect(decoder.granted(1)).toHaveLength(2);
    expect(decoder.granted(2)).toHaveLength(2);
  });

  it('use a slot again when its frame has passed, and not before', () => {
    const { set, decoder, picture } = setUp([10, 20]);
    set.open(passage('a', 0, 9), file, { ...options, from: 0 });
    set.share();
    picture(1, 0, 20);
    picture(1, 1, 10);
    expect(set.isReady(0, ['a'])).toBe(true);
    expect(decoder.granted(1)).toHaveLength(2);
    set.passed(1);
    expect(decoder.granted(1)).toEqual([20, 10, 20]);
    expect(set.pictures(0)).toBeUndefined();
  });

  it('keep a slot that holds several frames until the last of them has passed', () => {
    const { set, decoder, picture } = setUp([10]);
    set.open(passage('a', 0, 9), file, { ...options, from: 0 });
    set.share();
    picture(1, 0, 10);
    picture(1, 1, 10, true);
    set.passed(1);
    expect(decoder.granted(1)).toEqual([10]);
    set.passed(2);
    expect(decoder.granted(1)).toEqual([10, 10]);
  });

  it('do not hand out the slot of a picture that came too late while it may still be repeated', () => {
    const { set, decoder, picture } = setUp([10]);
    set.open(passage('a', 0, 9), file, { ...options, from: 0 });
    set.share();
    set.skipTo('a', 2);
    picture(1, 1, 10);
    expect(decoder.granted(1)).toEqual([10]);
    picture(1, 2, 10, true);
    expect(set.isReady(2, ['a'])).toBe(true);
    set.passed(3);
    expect(decoder.granted(1)).toEqual([10, 10]);
  });

  it('wait for every writer before the room is given away', async () => {
    const { set, decoder } = setUp([10, 20]);
    set.open(passage('a', 0, 9), file, { ...options, from: 0 });
    set.share();
    let closed = false;
    const waiting = set.closeAll().then(() => (closed = true));
    await Promise.resolve();
    expect(closed).toBe(false);
    decoder.reply({ kind: 'closed', stream: 1 });
    await waiting;
    expect(closed).toBe(true);
  });

  it('report a clip that cannot be decoded once, and treat it as ready', () => {
    const { set, decoder, failed } = setUp([10]);
    set.open(passage('a', 0, 9), file, { ...options, from: 0 });
    set.share();
    decoder.reply({ kind: 'failed', stream: 1, message: 'broken' });
    expect(failed).toEqual(['broken']);
    expect(set.isReady(3, ['a'])).toBe(true);
    expect(set.isOpen(passage('a', 0, 9))).toBe(true);
    set.forgive();
    expect(set.isReady(3, ['a'])).toBe(false);
  });
});
