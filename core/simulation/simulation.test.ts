import { describe, expect, it } from 'vitest';
import { rational } from '../time/index.js';
import type { DecodeSegment, Workload } from '../cost-model/index.js';
import { segmentOf, workloadOf, WORKLOAD_FRAMES, type Sketch } from '../testing/workloads.js';
import { pacingSummary } from '../playback/index.js';
import { simulate, type SimulatedRun } from './index.js';
import type { StreamsState } from './simulated-streams.js';

const FRAMES = WORKLOAD_FRAMES;

const shown = (line: Workload): number => pacingSummary(simulate(line).log, line.rate).shown;

describe('simulated playback', () => {
  it('shows every frame in time when each stage has room', () => {
    const { log } = simulate(workloadOf([segmentOf()]));
    const summary = pacingSummary(log, rational(25));
    expect(summary).toMatchObject({ wanted: FRAMES, shown: FRAMES, dropped: 0 });
    expect(summary.meanLatenessMs).toBeLessThan(10);
    expect(summary.stageMs.decode).toBeCloseTo(5, 0);
    expect(summary.decodedPerFrame).toBeCloseTo(1, 1);
  });

  it('drops frames where pictures have more bits than most, and not where they have fewer', () => {
    const bits = Float32Array.from({ length: FRAMES }, (_, at) => (at < 100 ? 0.8 : at < 150 ? 1.8 : 0.8));
    const sketch = { decodeMs: 36, bitShare: 0.9, bits, coldBits: bits };
    const { log } = simulate(workloadOf([segmentOf(sketch)], { slots: 4 }));
    const dropped = (from: number, to: number): number =>
      Array.from({ length: to - from }, (_, at) => log.get(from + at, 'shown')).filter(Number.isNaN).length;
    expect(dropped(0, 100)).toBe(0);
    expect(dropped(100, 150)).toBeGreaterThan(10);
    expect(dropped(170, FRAMES)).toBe(0);
    const meanMs = (from: number, to: number): number => {
      const of = (column: 'decode' | 'decoded'): number =>
        Array.from({ length: to - from }, (_, at) => log.get(from + at, column)).reduce((a, b) => a + b, 0);
      return of('decode') / of('decoded');
    };
    expect(meanMs(30, 80)).toBeCloseTo(36 * (1 - 0.9 * 0.2), 0);
    expect(meanMs(115, 140)).toBeCloseTo(36 * (1 + 0.9 * 0.8), 0);
  });

  it('leaves out pictures that no other refers to, one by one, where it is a little too slow', () => {
    // A tenth too slow, in long groups: without any to leave out, a second or two is lost in a piece.
    const sketch = { decodeMs: 44, group: 120 };
    const unreferenced = Uint8Array.from({ length: FRAMES }, (_, at) => Number(at % 2 === 1));
    const [plain, thinned] = [sketch, { ...sketch, unreferenced }].map((each) => {
      const line = workloadOf([segmentOf(each)], { slots: 6 });
      return { log: simulate(line).log, summary: pacingSummary(simulate(line).log, line.rate) };
    });
    // It shows what a decoder of that pace can: 40 of 44.
    expect(thinned!.summary.shown / FRAMES).toBeGreaterThan(0.97 * (40 / 44));
    expect(thinned!.summary.shown).toBeGreaterThan(plain!.summary.shown);
    expect(thinned!.summary.longestFreezeMs).toBeLessThan(2.1 * 40);
    for (let frame = 0; frame < FRAMES; frame += 2) expect(thinned!.log.get(frame, 'shown')).not.toBeNaN();
    expect(thinned!.summary.decodedPerFrame).toBeLessThan(1);
  });

  it.each([1.3, 1.7, 2.5, 4])('plays backwards what a machine %s times too slow can', (tooSlow) => {
    const turned = 12;
    const coldDecodes = new Uint16Array(FRAMES).fill(Math.round(turned * tooSlow));
    const decodes = coldDecodes.map((pictures, at) => (at % turned === 0 ? pictures : 0));
    const repeats = new Uint8Array(FRAMES);
    const segment = { ...segmentOf({ decodeMs: 40, turned, repeats }), coldDecodes, decodes };
    const line = workloadOf([segment], { cores: 2 });
    // The first run is decoded before playback begins. Each takes that many times as long as it is shown.
    const possible = turned + (FRAMES - turned) / tooSlow;
    expect(shown(line)).toBeGreaterThan(0.85 * possible);
    expect(shown(line)).toBeLessThanOrEqual(possible + turned);
  });

  it('never loses a frame: each is shown or dropped, whatever is slow', () => {
    for (const decodeMs of [1, 39, 41, 80, 400])
      for (const showMs of [1, 45, 200]) {
        const {
          wanted,
          shown: seen,
          dropped,
        } = pacingSummary(
          simulate(workloadOf([segmentOf({ decodeMs, group: 24 })], { showMs })).log,
          rational(25),
        );
        expect(wanted).toBe(FRAMES);
        expect(seen + dropped).toBe(FRAMES);
      }
  });

  it('shows as many frames as the screen takes when showing is the slowest stage', () => {
    // 80 ms a frame of 40: every second one.
    expect(shown(workloadOf([segmentOf()], { showMs: 79 }))).toBeGreaterThan(0.48 * FRAMES);
    expect(shown(workloadOf([segmentOf()], { showMs: 79 }))).toBeLessThan(0.52 * FRAMES);
  });

  it('drops frames when decoding takes longer than the frame budget, and more the longer it takes', () => {
    const at = (decodeMs: number): number => shown(workloadOf([segmentOf({ decodeMs, group: 48 })]));
    expect(at(38)).toBe(FRAMES);
    expect(at(50)).toBeLessThan(0.9 * FRAMES);
    expect(at(80)).toBeLessThan(at(50));
  });

  it('pays for frames that are decoded and thrown away', () => {
    const at = (each: number): number => shown(workloadOf([segmentOf({ decodeMs: 18, each })]));
    expect(at(2)).toBe(FRAMES);
    expect(at(3)).toBeLessThan(0.8 * FRAMES);
  });

  it('waits longer for the first picture of a decoder that was just set up, and of one that has jumped', () => {
    const first = (line: Workload): number => simulate(line).log.get(0, 'shown');
    const plain = segmentOf({ decodeMs: 20 });
    const filled = { ...plain, firstMs: 80 };
    expect(first(workloadOf([filled])) - first(workloadOf([plain]))).toBeCloseTo(80, 0);
    // Too slow, so that it jumps from key frame to key frame, and pays for each.
    const slow = segmentOf({ decodeMs: 60, group: 24 });
    const dear = { ...slow, restartMs: 240 };
    expect(shown(workloadOf([dear]))).toBeLessThan(0.9 * shown(workloadOf([slow])));
  });

  it('shows nearly the share that a decoder is fast enough for, and never more', () => {
    const frames = 1200;
    const shareAt = (pace: number, group: number): number => {
      const slow = segmentOf({ to: frames, group, decodeMs: 40 / pace, firstMs: 20, restartMs: 20 });
      const line = workloadOf([slow], { to: frames, composeMs: new Float32Array(frames) });
      return pacingSummary(simulate(line, { spread: 0.1 }).log, line.rate).shown / frames;
    };
    // A little too slow costs a little, and no key frame is so far away that everything in between is lost.
    for (const pace of [0.98, 0.9, 0.8, 0.65]) {
      expect(shareAt(pace, 48)).toBeGreaterThan(0.85 * pace);
      expect(shareAt(pace, 12)).toBeGreaterThan(0.85 * pace);
      expect(shareAt(pace, 1)).toBeGreaterThan(0.7 * pace);
      for (const group of [1, 12, 48]) expect(shareAt(pace, group)).toBeLessThan(1.05 * pace);
    }
  });

  it('shows nearly the share that its effects leave, whatever decoding takes', () => {
    for (const [share, decodeMs] of [
      [0.97, 4],
      [0.8, 20],
      [0.5, 20],
      [0.3, 4],
    ] as const) {
      const frames = shown(workloadOf([segmentOf({ decodeMs, scaleMs: 0, effectsMs: 40 / share })]));
      expect(frames / FRAMES).toBeGreaterThan(0.75 * share);
      expect(frames / FRAMES).toBeLessThan(1.06 * share);
    }
  });

  it('is late after a cut into a long group though its cores idle', () => {
    const cuts = (cold: number): DecodeSegment[] =>
      Array.from({ length: 5 }, (_, at) =>
        segmentOf({ from: 48 * at, to: 48 * at + 48, cold, group: 240, decodeMs: 22, decodeCores: 1.5 }),
      );
    const line = workloadOf(cuts(110), { cores: 6 });
    const { log, coreUse } = simulate(line);
    expect(pacingSummary(log, line.rate).dropped).toBeGreaterThan(40);
    expect(coreUse).toBeLessThan(0.5);
    expect(shown(workloadOf(cuts(1), { cores: 6 }))).toBe(FRAMES);
  });

  it('shares cores: what plays on four does not on one', () => {
    const two = [segmentOf({ decodeMs: 20 }), segmentOf({ decodeMs: 20, clipId: 'above' })];
    expect(shown(workloadOf(two, { cores: 4 }))).toBe(FRAMES);
    expect(shown(workloadOf(two, { cores: 1 }))).toBeLessThan(0.9 * FRAMES);
    expect(shown(workloadOf(two, { cores: 4, coresOfOthers: 3.2 }))).toBeLessThan(0.9 * FRAMES);
  });

  it('begins two pictures of one frame together, however little room there is', () => {
    const two = [segmentOf(), segmentOf({ clipId: 'above' })];
    expect(shown(workloadOf(two, { slots: 8 }))).toBe(FRAMES);
  });

  it('waits for a drive that gives less than is wanted', () => {
    const drive = (bytesPerSecond: number): Partial<Workload> => ({
      drives: [{ name: 'slow', bytesPerSecond, latencyMs: 1, seekMs: 0 }],
      readAheadBytes: 4e6,
    });
    // 1 MB a frame, 25 MB/s.
    const heavy = [segmentOf({ bytesPerPicture: 1e6 })];
    expect(shown(workloadOf(heavy, drive(30e6)))).toBe(FRAMES);
    const starved = simulate(workloadOf(heavy, drive(15e6)));
    const summary = pacingSummary(starved.log, rational(25));
    expect(summary.shown).toBeLessThan(0.8 * FRAMES);
    expect(summary.stageMs.read).toBeGreaterThan(summary.stageMs.decode);
  });

  it('loses what going to and fro between two files costs', () => {
    const two = [segmentOf({ bytesPerPicture: 6e5 }), segmentOf({ bytesPerPicture: 6e5, clipId: 'above' })];
    const drives = (seekMs: number): Partial<Workload> => ({
      drives: [{ name: 'arm', bytesPerSecond: 50e6, latencyMs: 2, seekMs }],
    });
    expect(shown(workloadOf(two, drives(0)))).toBe(FRAMES);
    expect(shown(workloadOf(two, drives(20)))).toBeLessThan(0.8 * FRAMES);
  });

  it('gives the same log for the same line, spread and seed, and another for another seed', () => {
    const line = workloadOf([segmentOf({ decodeMs: 36, group: 24 })]);
    const values = (seed: number): number[] => [...simulate(line, { spread: 0.3, seed }).log.values];
    expect(values(7)).toEqual(values(7));
    expect(values(7)).not.toEqual(values(8));
  });

  it('keeps the mean of a service whatever its spread', () => {
    const line = workloadOf([segmentOf({ decodeMs: 12 })]);
    const decode = [1, 2, 3, 4].map(
      (seed) => pacingSummary(simulate(line, { spread: 0.4, seed }).log, line.rate).stageMs.decode,
    );
    expect(decode.reduce((sum, each) => sum + each, 0) / 4 / 12).toBeGreaterThan(0.95);
    expect(decode.reduce((sum, each) => sum + each, 0) / 4 / 12).toBeLessThan(1.08);
  });

  it('loses frames to slow spells of an unsteady machine that a steady one plays', () => {
    const line = workloadOf([segmentOf({ decodeMs: 37 })], { slots: 8 });
    expect(shown(line)).toBe(FRAMES);
    const unsteady = { ...line, unsteadiness: 0.2 };
    const of = (seed: number): number => pacingSummary(simulate(unsteady, { seed }).log, line.rate).shown;
    const all = [1, 2, 3, 4, 5].map(of);
    expect(Math.min(...all)).toBeLessThan(FRAMES - 10);
    expect(of(2)).toBe(all[1]);
    const light = workloadOf([segmentOf({ decodeMs: 12 })], { unsteadiness: 0.2 });
    expect(shown(light)).toBe(FRAMES);
  });

  it('refuses to play nothing', () => {
    expect(() => simulate(workloadOf([], { to: 0 }))).toThrow(RangeError);
  });
});

describe('a simulation that is taken up again', () => {
  /** Ten clips on each of two tracks. */
  const tracks = (change: (clip: number) => Sketch = () => ({})): DecodeSegment[] =>
    [0, 1]
      .flatMap((track) =>
        Array.from({ length: 10 }, (_, at) =>
          segmentOf({
            ...{ from: 24 * at, to: 24 * at + 24, clipId: `${track}-${at}`, cold: 6, group: 12 },
            ...(track === 0 ? change(at) : {}),
          }),
        ),
      )
      .sort((a, b) => a.from - b.from);

  const before = simulate(workloadOf(tracks()));

  it.each([
    ['is lighter', { decodeMs: 2 }],
    ['is heavier', { decodeMs: 22 }],
    ['does not play any more', { decodeMs: 120 }],
    ['has effects', { effectsMs: 15 }],
    ['is entered elsewhere', { cold: 20 }],
  ])('gives what a whole one gives when a clip %s', (_what, sketch) => {
    for (const changed of [2, 5, 9]) {
      const line = workloadOf(tracks((at) => (at === changed ? sketch : {})));
      const [again, whole] = [simulate(line, {}, before), simulate(line)];
      const [a, b] = [again, whole].map(({ log }) => pacingSummary(log, line.rate));
      expect(a!.shown).toBe(b!.shown);
      expect(a!.stageMs.decode).toBeCloseTo(b!.stageMs.decode, 1);
      expect(again.coreUse).toBeCloseTo(whole.coreUse, 2);
    }
  });

  it('gives what a whole one gives on an unsteady machine', () => {
    const unsteady = { unsteadiness: 0.2 };
    const was = simulate(workloadOf(tracks(), unsteady), { seed: 4 });
    const line = workloadOf(
      tracks((at) => (at === 4 ? { decodeMs: 30 } : {})),
      unsteady,
    );
    const [again, whole] = [simulate(line, { seed: 4 }, was), simulate(line, { seed: 4 })];
    expect(again.checkpoints.some((each) => was.checkpoints.includes(each))).toBe(true);
    expect(pacingSummary(again.log, line.rate).shown).toBe(pacingSummary(whole.log, line.rate).shown);
    expect(again.log.get(200, 'decode')).toBeCloseTo(whole.log.get(200, 'decode'), 1);
  });

  it('plays only what the change touches', () => {
    const line = workloadOf(tracks((at) => (at === 4 ? { decodeMs: 9 } : {})));
    const again = simulate(line, {}, before);
    // Moments from long before and long after the change are those of the simulation before.
    const shared = again.checkpoints.filter((each) => before.checkpoints.includes(each));
    expect(shared.length).toBeGreaterThan(0);
    expect(shared.every(({ frame }) => frame < 96)).toBe(true);
    const laterOf = ({ checkpoints }: SimulatedRun): StreamsState[] =>
      checkpoints.filter(({ frame }) => frame >= 192).map(({ streams }) => streams);
    const later = laterOf(again);
    expect(later.every((streams, at) => streams === laterOf(before)[at])).toBe(true);
    expect(later.length).toBeGreaterThan(0);
  });

  it('is the one before when nothing has changed, and a new one when everything has', () => {
    expect(simulate(workloadOf(tracks()), {}, before)).toBe(before);
    const other = workloadOf(tracks(), { cores: 1 });
    expect([...simulate(other, {}, before).log.values]).toEqual([...simulate(other).log.values]);
    const shorter = workloadOf(tracks().slice(0, 10));
    expect(pacingSummary(simulate(shorter, {}, before).log, shorter.rate)).toEqual(
      pacingSummary(simulate(shorter).log, shorter.rate),
    );
  });
});
