import type { Passage } from '@hone/core/render';
import { describe, expect, it } from 'vitest';
import type { MediaFile } from '../plan.js';
import { VIDEO_BT709 } from '../shared/picture.js';
import type { DecodeRequest } from '../shared/messages.js';
import { ScriptedDecoder } from '../testing/scripted-decoder.js';
import { PictureKeys, PictureKinds } from './picture-keys.js';
import { PictureRoom } from './picture-room.js';
import { StreamSet } from './stream-set.js';

const SIZE = { width: 640, height: 360 };
const RATE = { num: 24, den: 1 };
const file: MediaFile = {
  choice: 'original',
  url: '/media/sources/a',
  stamp: '',
  size: SIZE,
  rate: RATE,
  constantRate: true,
  quarters: 0,
  shownSize: SIZE,
  pixels: SIZE,
  frameCount: 100,
  framesUrl: null,
  serverOnly: null,
  ...{ codec: 'h264', profile: 'High', path: null },
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
    fellBack: () => undefined,
    failed: (_passage, message) => failed.push(message),
  });
  set.useRoom(new PictureRoom(slots));
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
  ...{ frameSize: SIZE, rate: RATE, live: true, hold: 1, turned: 12 },
  ...{ scaling: 'quick' as const, recoded: false, onGraphics: false },
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

  it('leave effects of pixels to the graphics processor, but for those between two transforms', () => {
    const effect = (kind: 'blur' | 'transform', values = {}) => ({ id: kind, kind, enabled: true, values });
    const turned = effect('transform', { rotation: 20 });
    const askedWith = (effects: Passage['effects']) => {
      const { set, decoder, picture } = setUp([1, 2]);
      set.open({ ...passage('a', 0, 9), effects }, file, { ...options, onGraphics: true, from: 0 });
      set.share();
      picture(1, 0, 1);
      const asked = decoder.asked.find(({ kind }) => kind === 'open') as Extract<
        DecodeRequest,
        { kind: 'open' }
      >;
      const kinds = asked.stream.stages.map(({ effects: each }) => each.map(({ kind }) => kind));
      return { kinds, shown: set.pictures(0)!.get('a')! };
    };
    const one = askedWith([effect('blur'), turned]);
    expect(one.kinds).toEqual([['transform']]);
    expect(one.shown).toMatchObject({ isBare: true, effects: [{ kind: 'blur' }, { kind: 'transform' }] });
    const two = askedWith([turned, effect('blur')]);
    expect(two.kinds).toEqual([['transform'], ['blur']]);
    expect(two.shown.isBare).toBe(false);
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

describe('pictures that were shown', () => {
  const clip = passage('a', 0, 9);
  const keys = (...passages: Passage[]): PictureKeys =>
    new PictureKeys(
      passages.map((each) => ({
        ...{ passage: each, file, frameSize: SIZE, rate: RATE },
        ...{ scaling: 'quick', recoded: false, onGraphics: false, hold: 1 },
      })),
      new PictureKinds(),
    );
  const keeping = (slots: number[], mostWaiting: number, ...passages: Passage[]) => {
    const made = setUp([]);
    const room = new PictureRoom(slots);
    const all = keys(...passages);
    all.run = { from: 0, to: 100 };
    made.set.useRoom(room, mostWaiting, all);
    return { ...made, room };
  };

  it('are kept, and shown again without decoding', () => {
    const { set, picture } = keeping([5, 10, 20, 30], 2, clip);
    set.open(clip, file, { ...options, from: 0 });
    set.share();
    picture(1, 0, 30);
    picture(1, 1, 20);
    set.passed(2);
    expect([0, 1, 2].map((frame) => set.isKept('a', frame))).toEqual([true, true, false]);
    expect(set.pictures(0)).toBeUndefined();
    expect(set.isReady(0, ['a'])).toBe(true);
    expect(set.pictures(0)!.get('a')!.address).toBe(30);
  });

  it('are those of another clip, too, that shows the same frames of the source', () => {
    const other = { ...passage('b', 50, 59), sourceIn: { num: 1, den: 24 } };
    const { set, picture } = keeping([5, 10, 20, 30], 2, clip, other);
    set.open(clip, file, { ...options, from: 0 });
    set.share();
    picture(1, 1, 30);
    set.passed(2);
    // Its first frame is the second of the source.
    expect(set.isReady(50, ['b'])).toBe(true);
    expect(set.isReady(51, ['b'])).toBe(false);
  });

  it('give way to those that are made, but not while they wait to be shown', () => {
    const { set, decoder, picture } = keeping([10, 20], 2, clip);
    set.open(clip, file, { ...options, from: 0 });
    set.share();
    picture(1, 0, 20);
    expect(decoder.granted(1)).toEqual([20, 10]);
    picture(1, 1, 10);
    expect(decoder.granted(1)).toHaveLength(2);
    set.passed(1);
    expect(decoder.granted(1)).toEqual([20, 10, 20]);
    expect(set.isKept('a', 0)).toBe(false);
    expect(set.isKept('a', 1)).toBe(true);
  });

  it('do not let decoding run further ahead', () => {
    const { set, decoder } = keeping([1, 2, 3, 4, 5, 6], 2, clip);
    set.open(clip, file, { ...options, from: 0 });
    set.share();
    expect(decoder.granted(1)).toHaveLength(2);
  });

  it('are made in passing where another clip shows them, and there is room to spare', () => {
    const slots = Array.from({ length: 12 }, (_, at) => 10 * (at + 1));
    const other = { ...passage('b', 50, 55), sourceIn: { num: 20, den: 24 } };
    const { set, decoder } = keeping(slots, 2, clip, other);
    set.open(clip, file, { ...options, from: 0, live: false });
    set.share();
    const opened = decoder.asked.find((each) => each.kind === 'open')!;
    expect(opened.kind === 'open' && opened.stream.inPassing).toEqual([{ from: 20, to: 25 }]);
    const grants = decoder.asked.flatMap((each) => (each.kind === 'grant' ? [each] : []));
    expect(grants.map(({ isSpare }) => isSpare === true)).toEqual([false, false, true, true, true, true]);
    const address = grants.at(-1)!.address;
    decoder.reply({
      ...{ kind: 'passing', stream: 1, sourceFrame: 22, address, makeMs: 9 },
      ...{ coding: VIDEO_BT709, decoder: 'browser' },
    });
    expect([21, 22, 23].map((frame) => set.isKept('b', 30 + frame))).toEqual([false, true, false]);
    expect(set.isReady(52, ['b'])).toBe(true);
    expect(decoder.granted(1)).toHaveLength(7);
  });

  it('are not made in passing during a run', () => {
    const slots = Array.from({ length: 12 }, (_, at) => 10 * (at + 1));
    const other = { ...passage('b', 50, 55), sourceIn: { num: 20, den: 24 } };
    const { set, decoder } = keeping(slots, 2, clip, other);
    set.open(clip, file, { ...options, from: 0, live: true });
    const opened = decoder.asked.find((each) => each.kind === 'open')!;
    expect(opened.kind === 'open' && opened.stream.inPassing).toEqual([]);
  });

  it('stay in their room while another is used', async () => {
    const { set, decoder, picture, room } = keeping([10, 20], 2, clip);
    set.open(clip, file, { ...options, from: 0 });
    set.share();
    picture(1, 0, 20);
    const closed = set.closeAll();
    decoder.reply({ kind: 'closed', stream: 1 });
    await closed;
    set.useRoom(new PictureRoom([90]));
    expect(set.isReady(0, ['a'])).toBe(false);
    set.useRoom(room, 2, keys(clip));
    expect(set.isReady(0, ['a'])).toBe(true);
  });
});
