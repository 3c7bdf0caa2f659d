import { describe, expect, it } from 'vitest';
import { even, FakeFile, later, RATE24, streamOf } from '../testing/picture-stream.js';

function busyFor(ms: number): void {
  const until = performance.now() + ms;
  while (performance.now() < until);
}

describe('a stream that plays backwards', () => {
  it.each([true, false])(
    'is made in runs as long as there is room (constant rate: %s)',
    async (constantRate) => {
      const file = new FakeFile(even(60, 24), 12);
      const back = { num: -1, den: 1 };
      const sourceIn = { num: 30, den: 24 };
      const setting = { rate: RATE24, to: 26, sourceIn, speed: back, constantRate };
      const { run, pictures, reduced } = streamOf(file, setting);
      await run();
      expect(pictures().map(({ frame }) => frame)).toEqual(Array.from({ length: 26 }, (_, frame) => frame));
      const addressOf = new Map(pictures().map(({ frame, address }) => [frame, address]));
      expect(new Set(addressOf.values()).size).toBe(26);
      // Each run of twelve is reduced forwards and sent turned round.
      expect(reduced).toEqual([
        ...Array.from({ length: 12 }, (_, at) => 19 + at),
        ...Array.from({ length: 12 }, (_, at) => 7 + at),
        5,
        6,
      ]);
      expect(file.starts).toEqual([12, 0, 0]);
      expect(file.open.size).toBe(0);
    },
  );

  it('makes one picture for two frames where every second is played', async () => {
    const sourceIn = { num: 30, den: 24 };
    const setting = { rate: RATE24, to: 8, sourceIn, speed: { num: -1, den: 1 }, hold: 2 };
    const grain = { id: 'g', kind: 'grain', enabled: true, values: {} } as const;
    for (const effects of [[], [grain]]) {
      const { run, reduced, pictures } = streamOf(new FakeFile(even(60, 24), 12), { ...setting, effects });
      await run();
      expect(reduced.toSorted()).toEqual([24, 26, 28, 30]);
      expect(pictures().map(({ frame, repeated }) => [frame, repeated])).toEqual(
        Array.from({ length: 8 }, (_, frame) => [frame, frame % 2 === 1]),
      );
    }
  });

  it('works with a single place to write to', async () => {
    const file = new FakeFile(even(60, 24), 12);
    const sourceIn = { num: 30, den: 24 };
    const { stream, run, reduced, pictures } = streamOf(file, {
      rate: RATE24,
      to: 3,
      sourceIn,
      speed: { num: -1, den: 1 },
      slots: 1,
    });
    const done = run();
    for (const shown of [1, 2]) {
      while (pictures().length < shown) await later();
      stream.grant(2000 + shown);
    }
    await done;
    expect(reduced).toEqual([30, 29, 28]);
  });

  it('makes one run while the one before is shown, where there is little room', async () => {
    const file = new FakeFile(even(60, 24), 12);
    const sourceIn = { num: 30, den: 24 };
    const setting = { rate: RATE24, to: 14, sourceIn, speed: { num: -1, den: 1 } };
    const { stream, control, run, reduced } = streamOf(file, { ...setting, live: true, slots: 8, turned: 4 });
    const done = run();
    while (reduced.length < 8) await later();
    expect(reduced).toEqual([27, 28, 29, 30, 23, 24, 25, 26]);
    for (let shown = 1; shown <= 4; shown++) {
      await later();
      expect(reduced).toHaveLength(8);
      control.playhead = shown;
      stream.grant(2000 + shown);
    }
    while (reduced.length < 12) await later();
    expect(reduced.slice(8)).toEqual([19, 20, 21, 22]);
    expect(file.starts).toEqual([24, 12, 12]);
    stream.close();
    await done;
  });

  it('waits for room for a whole run while there is time, and takes what there is when there is none', async () => {
    const file = new FakeFile(even(60, 24), 12);
    const sourceIn = { num: 30, den: 24 };
    const speed = { num: -1, den: 1 };
    const { stream, control, run, reduced } = streamOf(file, {
      rate: RATE24,
      to: 16,
      sourceIn,
      speed,
      live: true,
      slots: 1,
    });
    control.playhead = -40;
    const done = run();
    for (let slot = 0; slot < 11; slot++) {
      await later();
      expect(reduced).toEqual([]);
      stream.grant(2000 + slot);
    }
    while (reduced.length < 12) await later();
    expect(reduced).toEqual(Array.from({ length: 12 }, (_, at) => 19 + at));
    control.playhead = 10;
    stream.grant(3000);
    stream.grant(3001);
    while (reduced.length < 14) await later();
    expect(reduced.slice(12)).toEqual([17, 18]);
    stream.close();
    await done;
  });

  it('begins a late run where it is in time, by what the runs before took', async () => {
    const file = new FakeFile(even(300, 24), 12, () => busyFor(10));
    const setting = { rate: RATE24, to: 270, sourceIn: { num: 290, den: 24 }, speed: { num: -1, den: 1 } };
    const { stream, control, run, reduced, replies } = streamOf(file, { ...setting, live: true, slots: 24 });
    const done = run();
    while (reduced.length < 24) await later();
    // A run of twelve takes 120 ms or more: three frames.
    control.playhead = 30.5;
    for (let slot = 0; slot < 12; slot++) stream.grant(2000 + slot);
    while (reduced.length < 36) await later();
    const skipped = replies.filter((reply) => reply.kind === 'skipped');
    expect(skipped).toHaveLength(1);
    expect(skipped[0]).toMatchObject({ from: 24 });
    expect(skipped[0]!.to).toBeGreaterThanOrEqual(33);
    expect(reduced[24]).toBe(290 - skipped[0]!.to - 11);
    stream.close();
    await done;
  });
});
