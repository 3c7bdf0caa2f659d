import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { VIDEO_BT709 } from '../shared/picture.js';
import { PictureRoom } from './picture-room.js';
import type { ReadyPicture } from './ready-picture.js';

const SIZE = { width: 16, height: 16 };
const pictureAt = (address: number): ReadyPicture => ({
  ...{
    address,
    effects: [],
    coding: VIDEO_BT709,
    decoder: 'browser',
    file: null,
    isBare: false,
    hasAlpha: false,
  },
  pose: { raster: SIZE, natural: SIZE, placement: { x: 0, y: 0, ...SIZE } },
});

/** Makes a picture in a room, which is shown and then passed. */
function shown(room: PictureRoom, key: number, makeMs = 10): void {
  const address = room.take()!;
  room.store(pictureAt(address), key, makeMs);
  room.release(address);
}

describe('room for pictures', () => {
  it('keeps a picture until its slot is needed', () => {
    const room = new PictureRoom([10, 20]);
    shown(room, 1);
    shown(room, 2);
    expect([room.has(1), room.has(2)]).toEqual([true, true]);
    shown(room, 3);
    // The one that was used longest ago is gone.
    expect([1, 2, 3].filter((key) => room.has(key))).toEqual([2, 3]);
  });

  it('finds during a run only what was there when it began', () => {
    const room = new PictureRoom([10, 20, 30]);
    shown(room, 1);
    room.setRun(true);
    shown(room, 2);
    // Made once more, it is still what was there.
    shown(room, 1);
    expect([room.has(1), room.has(2), room.find(2)]).toEqual([true, false, undefined]);
    room.setRun(false);
    expect([room.has(1), room.has(2)]).toEqual([true, true]);
  });

  it('gives away no slot whose picture is held', () => {
    const room = new PictureRoom([10, 20]);
    shown(room, 1);
    const found = room.find(1)!;
    shown(room, 2);
    expect(room.take()).not.toBe(found.address);
    expect(room.take()).toBeUndefined();
    room.release(found.address);
    expect(room.take()).toBe(found.address);
    expect(room.has(1)).toBe(false);
  });

  it('lets go first of what is wanted last, and of what is quickly made again', () => {
    const room = new PictureRoom([1, 2, 3, 4]);
    const until = new Map([
      [1, 100],
      [2, 5],
      [3, Infinity],
      [4, 100],
    ]);
    room.follow({ framesUntil: (key) => until.get(key)! });
    shown(room, 1, 10);
    shown(room, 2, 10);
    shown(room, 3, 90);
    shown(room, 4, 30);
    const gone: number[] = [];
    for (let left = 3; left >= 1; left--) {
      room.take();
      gone.push([1, 2, 3, 4].find((key) => !room.has(key) && !gone.includes(key))!);
    }
    expect(gone).toEqual([3, 1, 4]);
  });

  it('keeps one of two equal pictures', () => {
    const room = new PictureRoom([10, 20, 30]);
    shown(room, 7);
    shown(room, 7);
    expect(room.keptCount).toBe(1);
    expect([room.take(), room.take()].every((each) => each !== undefined)).toBe(true);
    expect(room.has(7)).toBe(true);
  });

  // Of all slots, each is in one place only: with a writer, held, kept or free.
  it('never gives a slot to two at once, and loses none', () => {
    const act = fc.record({ kind: fc.constantFrom('make', 'find', 'drop', 'return'), key: fc.nat(8) });
    fc.assert(
      fc.property(fc.array(act, { maxLength: 80 }), (acts) => {
        const slots = [1, 2, 3, 4, 5];
        const room = new PictureRoom(slots);
        const held: number[] = [];
        for (const { kind, key } of acts) {
          if (kind === 'make') {
            const address = room.take();
            expect(address === undefined).toBe(new Set(held).size === slots.length);
            if (address === undefined) continue;
            expect(held).not.toContain(address);
            room.store(pictureAt(address), key, 1);
            held.push(address);
          } else if (kind === 'find') {
            const found = room.find(key);
            expect(found !== undefined).toBe(room.has(key) || found !== undefined);
            if (found) held.push(found.address);
          } else if (kind === 'drop') {
            const address = held.shift();
            if (address !== undefined) room.release(address);
          } else {
            const address = room.take();
            if (address !== undefined) room.giveBack([address]);
          }
          expect(room.heldCount).toBe(new Set(held).size);
        }
        for (const address of held) room.release(address);
        const taken = slots.map(() => room.take());
        expect(new Set(taken)).toEqual(new Set(slots));
        expect(room.take()).toBeUndefined();
      }),
    );
  });
});
