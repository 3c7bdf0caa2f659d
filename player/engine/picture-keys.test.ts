import fc from 'fast-check';
import type { Passage } from '@hone/core/render';
import { describe, expect, it } from 'vitest';
import type { MediaFile } from '../plan.js';
import { PictureKeys, PictureKinds, type MadePassage } from './picture-keys.js';

const SIZE = { width: 640, height: 360 };
const RATE = { num: 24, den: 1 };
const file: MediaFile = {
  ...{ choice: 'original', url: '/media/sources/a', stamp: '1', size: SIZE, rate: RATE, constantRate: true },
  ...{ codec: 'h264', profile: 'High', path: null },
  ...{ quarters: 0, shownSize: SIZE, pixels: SIZE, frameCount: 500, framesUrl: null, serverOnly: null },
  ...{ hasAlpha: false, stacked: null, premultiplied: false },
};
/** A clip of frames [from, to) that begins at a frame of its source. */
const made = (
  clipId: string,
  from: number,
  to: number,
  first: number,
  more: Partial<MadePassage> & { readonly effects?: Passage['effects'] } = {},
): MadePassage => ({
  passage: {
    ...{ clipId, sourceId: 'a', from, to, clipStart: from, effects: more.effects ?? [], framing: 'fit' },
    sourceIn: { num: first, den: 24 },
    speed: { num: 1, den: 1 },
  },
  ...{ file, frameSize: SIZE, rate: RATE, scaling: 'quick', recoded: false, onGraphics: false, hold: 1 },
  ...more,
});
const kinds = new PictureKinds();
const keysOf = (...all: MadePassage[]): PictureKeys => new PictureKeys(all, kinds);

describe('keys of pictures', () => {
  it('are equal where the same frame of the same source is seen in the same way', () => {
    const keys = keysOf(made('a', 0, 50, 10), made('b', 100, 150, 30));
    expect(keys.keyOf('a', 20)).toBe(keys.keyOf('b', 100));
    expect(keys.keyOf('a', 20)).not.toBe(keys.keyOf('a', 21));
    expect(keys.keyOf('a', 50)).toBeUndefined();
    expect(keys.keyOf('c', 20)).toBeUndefined();
  });

  it('outlive a plan, and a move of the clip along the timeline', () => {
    const before = keysOf(made('a', 0, 50, 10)).keyOf('a', 5);
    expect(keysOf(made('new', 0, 10, 0), made('a', 200, 250, 10)).keyOf('a', 205)).toBe(before);
  });

  it('differ with the size, the effects, the content of the file and the coding', () => {
    const brighter = { id: 'e', kind: 'exposure', enabled: true, values: { stops: 1 } } as const;
    const all = [
      made('a', 0, 50, 0),
      made('a', 0, 50, 0, { frameSize: { width: 320, height: 180 } }),
      made('a', 0, 50, 0, { effects: [brighter] }),
      made('a', 0, 50, 0, { effects: [{ ...brighter, values: { stops: 2 } }] }),
      made('a', 0, 50, 0, { file: { ...file, stamp: '2' } }),
      made('a', 0, 50, 0, { recoded: true }),
    ];
    const found = all.map((each) => keysOf(each).keyOf('a', 7));
    expect(new Set(found).size).toBe(all.length);
    const renamed = { ...brighter, id: 'other' };
    expect(keysOf(made('a', 0, 50, 0, { effects: [renamed] })).keyOf('a', 7)).toBe(found[2]);
  });

  it('are of the frame of the clip where its effects change from frame to frame', () => {
    const grain = { id: 'g', kind: 'grain', enabled: true, values: {} } as const;
    const keys = keysOf(
      made('a', 0, 50, 10, { effects: [grain] }),
      made('b', 100, 150, 30, { effects: [grain] }),
    );
    expect(keys.keyOf('a', 20)).not.toBe(keys.keyOf('b', 100));
  });

  it('are of the frame of the source where such effects are done in composing', () => {
    const grain = { id: 'g', kind: 'grain', enabled: true, values: { deviation: 5 } } as const;
    const more = { effects: [grain], onGraphics: true };
    const bare = keysOf(made('a', 0, 50, 10, more), made('b', 100, 150, 30, more));
    expect(bare.keyOf('a', 20)).toBe(bare.keyOf('b', 100));
    expect(bare.keyOf('a', 20)).not.toBe(keysOf(made('a', 0, 50, 10, { effects: [grain] })).keyOf('a', 20));
  });

  it('tell how many frames it is until a picture is wanted again, in this run or in the next', () => {
    const keys = keysOf(made('a', 0, 50, 10), made('b', 100, 150, 30));
    keys.run = { from: 0, to: 150 };
    keys.playhead = 25;
    expect(keys.framesUntil(keys.keyOf('a', 30)!)).toBe(5);
    // Frame 20 has passed; the other clip shows the same picture at 100.
    expect(keys.framesUntil(keys.keyOf('a', 20)!)).toBe(75);
    // Frame 5 is not seen again before the run begins anew.
    expect(keys.framesUntil(keys.keyOf('a', 5)!)).toBe(150 - 25 + 5);
    keys.run = { from: 60, to: 150 };
    keys.playhead = 60;
    expect(keys.framesUntil(keys.keyOf('a', 5)!)).toBe(Infinity);
  });

  it('tell which frames of the source other clips show later, that are not there yet', () => {
    const keys = keysOf(made('a', 0, 50, 10), made('b', 100, 120, 30), made('c', 200, 210, 0));
    keys.run = { from: 0, to: 205 };
    const [first] = [made('a', 0, 50, 10).passage];
    // The second clip shows 30 to 50 of the source, and the third 0 to 5 before the run ends.
    expect(keys.inPassing(first, () => false)).toEqual([
      { from: 0, to: 5 },
      { from: 30, to: 50 },
    ]);
    expect(keys.inPassing(first, (key) => key === keys.keyOf('b', 100))[1]).toEqual({ from: 31, to: 50 });
    expect(keys.keyInPassing(first, 30)).toBe(keys.keyOf('b', 100));
    keys.playhead = 150;
    expect(keys.inPassing(first, () => false)).toEqual([{ from: 0, to: 5 }]);
  });

  it('find the frames of the run that show what is kept', () => {
    const keys = keysOf(made('a', 0, 50, 10), made('b', 100, 120, 30));
    keys.run = { from: 0, to: 110 };
    const kept = [25, 30, 31, 32].map((sourceFrame) =>
      keys.keyInPassing(made('a', 0, 50, 10).passage, sourceFrame)!,
    );
    expect(keys.rangesOf(kept)).toEqual([
      { clipId: 'a', from: 15, to: 16 },
      { clipId: 'a', from: 20, to: 23 },
      { clipId: 'b', from: 100, to: 103 },
    ]);
  });

  it('agree with a search of all frames', () => {
    const clip = fc.record({ from: fc.nat(60), length: fc.integer({ min: 1, max: 40 }), first: fc.nat(40) });
    fc.assert(
      fc.property(fc.array(clip, { minLength: 1, maxLength: 4 }), fc.nat(99), (clips, playhead) => {
        const passages = clips.map((each, at) =>
          made(`c${at}`, each.from, each.from + each.length, each.first),
        );
        const keys = keysOf(...passages);
        keys.run = { from: 0, to: 100 };
        keys.playhead = playhead;
        const isAt = (frame: number, key: number): boolean =>
          passages.some(({ passage }) => keys.keyOf(passage.clipId, frame) === key);
        const { clipId, from } = passages[0]!.passage;
        const key = keys.keyOf(clipId, from)!;
        const frames = Array.from({ length: 100 }, (_, at) => (playhead + at) % 100);
        const found = frames.findIndex((frame) => isAt(frame, key));
        expect(keys.framesUntil(key)).toBe(found < 0 ? Infinity : found);
      }),
    );
  });
});
