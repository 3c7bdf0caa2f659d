import { describe, expect, it } from 'vitest';
import type { Control } from '../shared/control.js';
import { even, FakeFile, RATE24, streamOf, type StreamSetting } from '../testing/picture-stream.js';

describe('a stream', () => {
  it('makes what other clips show on its way, where it has room to spare', async () => {
    const file = new FakeFile(even(90, 24), 90);
    const inPassing = [
      { from: 3, to: 6 },
      { from: 40, to: 60 },
    ];
    const { stream, run, replies, reduced } = streamOf(file, {
      ...{ rate: RATE24, to: 10, sourceIn: { num: 20, den: 24 }, inPassing },
    });
    for (const address of [1, 2]) stream.grant(address, true);
    await run();
    const passed = replies.flatMap((each) => (each.kind === 'passing' ? [each] : []));
    // There was room for two of three; what lies beyond the passage is not decoded for it.
    expect(passed.map(({ sourceFrame, address }) => [sourceFrame, address])).toEqual([
      [3, 1],
      [4, 2],
    ]);
    expect(reduced).toEqual([3, 4, ...Array.from({ length: 10 }, (_, at) => 20 + at)]);
    expect(file.open.size).toBe(0);
  });

  it('makes one picture for two frames where every second is played, also with effects that change', async () => {
    const grain = { id: 'g', kind: 'grain', enabled: true, values: {} } as const;
    for (const effects of [[], [grain]]) {
      const { run, reduced, pictures } = streamOf(new FakeFile(even(60, 24), 12), {
        ...{ rate: RATE24, to: 9, hold: 2, effects, sourceIn: { num: 10, den: 24 } },
      });
      await run();
      expect(reduced).toEqual([10, 12, 14, 16, 18]);
      expect(pictures().map(({ frame, repeated }) => [frame, repeated])).toEqual(
        Array.from({ length: 9 }, (_, frame) => [frame, frame % 2 === 1]),
      );
    }
  });

  it('leaves out what no other picture refers to and nobody wants, and shows the same', async () => {
    const sixty: StreamSetting = { rate: { num: 60, den: 1 }, to: 20, sourceIn: { num: 1, den: 3 } };
    const shownOf = async (isUnreferenced: (index: number) => boolean): Promise<[number[], number]> => {
      const file = new FakeFile(even(90, 60), 30);
      file.isUnreferenced = isUnreferenced;
      const { run, reduced } = streamOf(file, sixty);
      await run();
      return [reduced, file.decoded];
    };
    const [all, decodedAll] = await shownOf(() => false);
    // Two of three, as where two pictures stand between those that they refer to.
    const [some, decodedSome] = await shownOf((index) => index % 3 !== 0);
    const [wanted, decodedWanted] = await shownOf(() => true);
    expect(some).toEqual(all);
    expect(wanted).toEqual(all);
    // From frame 0, the last key frame, to the one of the last timeline frame.
    expect(decodedAll).toBe(all.at(-1)! + 1);
    const needed = all.filter((index) => index % 3 !== 0).length + Math.floor(all.at(-1)! / 3) + 1;
    expect(decodedSome).toBe(needed);
    expect(decodedWanted).toBe(all.length);
  });

  it('leaves out what would come too late, so that the others come in time', async () => {
    const play = async (isUnreferenced: (index: number) => boolean) => {
      // Each picture takes a tenth more than the time of a frame.
      const file = new FakeFile(even(240, 24), 240, () => (set.control.playhead += 1.1));
      file.isUnreferenced = isUnreferenced;
      file.decodeMs = (1.1 * 1000) / 24;
      const set = streamOf(file, { rate: RATE24, to: 200, live: true });
      set.control.playhead = -4;
      await set.run();
      return { ...set, file };
    };
    const before = await play(() => false);
    const { replies, reduced, pictures, file } = await play((index) => index % 2 === 1);
    expect(pictures().map(({ frame }) => frame)).toEqual(reduced);
    const skipped = replies.flatMap((reply) => (reply.kind === 'skipped' ? [reply.from] : []));
    expect([...reduced, ...skipped].sort((a, b) => a - b)).toEqual(even(200, 1));
    expect(skipped.every((frame) => frame % 2 === 1)).toBe(true);
    // As many are lost as the decoder is too slow, and no more.
    expect(reduced.length).toBeGreaterThan(0.9 * (200 / 1.1));
    expect(reduced.length).toBeGreaterThan(before.pictures().length);
    expect(file.decoded).toBeLessThan(205);
  });

  it('takes the nearest frames of a faster source and decodes the others for nothing', async () => {
    const file = new FakeFile(even(60, 60), 30);
    const { run, reduced, pictures } = streamOf(file, { rate: { num: 60, den: 1 }, to: 6 });
    await run();
    expect(reduced).toEqual([0, 3, 5, 8, 10, 13]);
    expect(pictures().map(({ frame }) => frame)).toEqual([0, 1, 2, 3, 4, 5]);
    // 2.5 pictures are decoded for one that is shown.
    expect(file.decoded / 6).toBeCloseTo(2.5, 0);
    expect(pictures().reduce((sum, { cost }) => sum + cost.decoded, 0)).toBe(14);
    expect(pictures()[1]!.cost).toEqual({
      readMs: 3,
      decodeMs: 30,
      scaleMs: expect.any(Number) as number,
      effectsMs: 0,
      decoded: 3,
    });
  });

  it('repeats the frames of a slower source in the same slot', async () => {
    const { run, reduced, pictures } = streamOf(new FakeFile(even(20, 12), 10), {
      rate: { num: 12, den: 1 },
      to: 8,
    });
    await run();
    expect(reduced).toEqual([0, 1, 2, 3, 4]);
    expect(pictures().map(({ repeated }) => repeated)).toEqual([
      false,
      false,
      true,
      false,
      true,
      false,
      true,
      false,
    ]);
    expect(new Set(pictures().map(({ address }) => address)).size).toBe(5);
  });

  it('enters at the key frame before its in point and leaves out what comes before', async () => {
    const file = new FakeFile(even(96, 24), 24);
    const { run, reduced } = streamOf(file, { rate: RATE24, to: 3, sourceIn: { num: 40, den: 24 } });
    await run();
    expect(file.starts).toEqual([24]);
    expect(reduced).toEqual([40, 41, 42]);
  });

  it('does not mind where the time stamps of a file begin', async () => {
    const { run, reduced } = streamOf(new FakeFile(even(48, 25, 1.4), 12), {
      rate: { num: 25, den: 1 },
      to: 3,
    });
    await run();
    expect(reduced).toEqual([0, 1, 2]);
  });

  it('takes the nearest frame by real time stamps, and of two the later', async () => {
    // Timeline frames stand at 0, 1/24, 2/24 …; the second stamp and the third are equally far from 2/24.
    const stamps = [0, 1 / 24, 3 / 24, 3.4 / 24, 6 / 24];
    const { run, reduced, pictures } = streamOf(new FakeFile(stamps, 5), {
      rate: RATE24,
      constantRate: false,
      to: 7,
    });
    await run();
    expect(pictures().map(({ frame }) => frame)).toEqual([0, 1, 2, 3, 4, 5, 6]);
    expect(reduced.filter((index, place) => reduced.indexOf(index) === place)).toEqual([0, 1, 2, 3, 4]);
    const second = pictures().find(({ frame }) => frame === 2)!;
    expect(second.address).not.toBe(pictures().find(({ frame }) => frame === 1)!.address);
  });

  it('holds the last frame when the file is shorter than the clip', async () => {
    const { run, pictures } = streamOf(new FakeFile(even(3, 24), 3), { rate: RATE24, to: 6 });
    await run();
    expect(pictures().map(({ frame }) => frame)).toEqual([0, 1, 2, 3, 4, 5]);
  });

  it('neither scales nor sends what is too late, but says what it cost', async () => {
    const made: { control?: Control } = {};
    const file = new FakeFile(even(48, 24), 48, (index) => {
      // The playhead runs ahead of the decoder for a while.
      if (index === 4) made.control!.playhead = 8.5;
    });
    const { run, control, reduced, replies } = streamOf(file, { rate: RATE24, to: 12, live: true });
    made.control = control;
    await run();
    expect(reduced).toEqual([0, 1, 2, 3, 8, 9, 10, 11]);
    const skipped = replies.filter((reply) => reply.kind === 'skipped');
    expect(skipped.map(({ from }) => from)).toEqual([4, 5, 6, 7]);
    expect(skipped.every(({ cost }) => cost.decoded === 1)).toBe(true);
  });

  it('goes on at the next key frame when it would never catch up', async () => {
    const made: { control?: Control } = {};
    const file = new FakeFile(even(96, 24), 24, (index) => {
      if (index >= 5 && index < 24) made.control!.playhead = 7 + 1.25 * (index - 5);
    });
    const { run, control, reduced, replies } = streamOf(file, { rate: RATE24, to: 30, live: true });
    made.control = control;
    await run();
    expect(file.starts).toEqual([0, 24]);
    expect(reduced).toEqual([0, 1, 2, 3, 4, 24, 25, 26, 27, 28, 29]);
    const jump = replies.find((reply) => reply.kind === 'skipped' && reply.to - reply.from > 1);
    expect(jump).toMatchObject({ to: 24 });
  });

  it('goes on decoding when it will have caught up before the next key frame', async () => {
    const made: { control?: Control } = {};
    const file = new FakeFile(even(96, 24), 24, (index) => {
      if (index >= 5 && index < 24) made.control!.playhead = 12 + 0.2 * (index - 5);
    });
    const { run, control, reduced } = streamOf(file, { rate: RATE24, to: 30, live: true });
    made.control = control;
    await run();
    expect(file.starts).toEqual([0]);
    expect(reduced.slice(0, 6)).toEqual([0, 1, 2, 3, 4, 13]);
    expect(reduced.at(-1)).toBe(29);
  });

  it('goes on decoding when there is no key frame left in its clip', async () => {
    const made: { control?: Control } = {};
    const file = new FakeFile(even(96, 24), 48, (index) => {
      if (index === 5) made.control!.playhead = 15;
    });
    const { run, control, reduced } = streamOf(file, { rate: RATE24, to: 20, live: true });
    made.control = control;
    await run();
    expect(file.starts).toEqual([0]);
    expect(reduced).toEqual([0, 1, 2, 3, 4, 15, 16, 17, 18, 19]);
  });

  it('waits for room, and goes on where it is told to', async () => {
    const file = new FakeFile(even(96, 24), 24);
    const { stream, run, pictures } = streamOf(file, { rate: RATE24, to: 90, slots: 1 });
    const running = run();
    await expect.poll(() => pictures().length).toBe(1);
    stream.skipTo(10);
    stream.grant(7);
    await expect.poll(() => pictures().map(({ frame }) => frame)).toEqual([0, 10]);
    expect(pictures()[1]!.address).toBe(7);
    stream.close();
    await running;
    expect(file.closed).toBe(true);
  });

  it('closes every frame that it was given', async () => {
    const file = new FakeFile(even(60, 60), 30);
    await streamOf(file, { rate: { num: 60, den: 1 }, to: 10 }).run();
    expect([...file.open]).toEqual([]);
    const short = new FakeFile(even(4, 24), 4);
    await streamOf(short, { rate: RATE24, to: 9 }).run();
    expect([...short.open]).toEqual([]);
  });

  it('takes fewer frames at twice the speed, and each twice at half of it', async () => {
    const file = new FakeFile(even(60, 24), 24);
    const twice = streamOf(file, { rate: RATE24, to: 5, speed: { num: 2, den: 1 } });
    await twice.run();
    expect(twice.reduced).toEqual([0, 2, 4, 6, 8]);
    const half = streamOf(new FakeFile(even(60, 24), 24), { rate: RATE24, to: 6, speed: { num: 1, den: 2 } });
    await half.run();
    // Exactly between two frames stands the later one.
    expect(half.reduced).toEqual([0, 1, 2, 3]);
    expect(half.pictures().map(({ frame, repeated }) => [frame, repeated])).toEqual([
      [0, false],
      [1, false],
      [2, true],
      [3, false],
      [4, true],
      [5, false],
    ]);
  });
});
