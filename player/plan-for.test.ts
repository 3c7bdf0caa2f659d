import type { LightCopy, Source } from '@hone/core/api';
import { PLAINEST } from '@hone/core/levers';
import { readySource, sourceFacts } from '@hone/core/testing';
import { appendSource, emptyTimeline } from '@hone/core/timeline';
import { describe, expect, it } from 'vitest';
import { layoutFor } from './engine/layout.js';
import { planFor } from './plan-for.js';

const UHD = { width: 3840, height: 2160 };
const RATE = { num: 24, den: 1 };
const facts = sourceFacts({ rotation: 90 }, { sound: { codec: 'aac', sampleRate: 48_000, channels: 2 } });
const source = readySource('a', facts, { name: 'A' });
const copy = (id: string, divisor: 2 | 4, state: LightCopy['state'] = 'ready'): LightCopy => ({
  id,
  sourceId: 'a',
  projectId: 'p',
  divisor,
  format: 'intra H.264',
  folder: '/copies',
  state,
  width: 2160 / divisor,
  height: 3840 / divisor,
  alphaRow: null,
  bytes: 1,
  likeness: null,
  madeInMs: null,
});
let next = 0;
const timeline = appendSource(
  emptyTimeline(RATE, UHD),
  { sourceId: 'a', name: 'A', durationSeconds: facts.duration, hasPicture: true, hasSound: true },
  () => `c${next++}`,
);
const light = { playScale: 4, restScale: 2, lightCopies: true } as const;

const sharesOf = (mebibytes: number) => ({ framePoolBytes: mebibytes << 20, keptPictureBytes: 0 });

describe('a plan', () => {
  it('plays the original as it is turned, while no copy is ready', () => {
    const plan = planFor(timeline, light, [source], [copy('x', 4, 'making')]);
    expect(plan.pictures['a']).toMatchObject({
      choice: 'original',
      url: '/media/sources/a',
      quarters: 1,
      shownSize: { width: 2160, height: 3840 },
    });
    expect(plan.sounds).toEqual({ a: '/media/sources/a' });
  });

  it('plays the smallest copy that has every pixel of the preview, upright', () => {
    const plan = planFor(timeline, light, [source], [copy('half', 2), copy('quarter', 4)]);
    expect(plan.pictures['a']).toMatchObject({
      choice: 'light copy',
      url: '/media/copies/quarter',
      quarters: 0,
    });
    const sharper = planFor(
      timeline,
      { ...light, playScale: 2 },
      [source],
      [copy('half', 2), copy('quarter', 4)],
    );
    expect(sharper.pictures['a']!.url).toBe('/media/copies/half');
  });

  it('rests on the original where it plays from a copy, and tells the pixels of each file', () => {
    const plan = planFor(timeline, light, [source], [copy('quarter', 4)]);
    expect(plan.pictures['a']!.pixels).toEqual({ width: 540, height: 960 });
    expect(plan.originals['a']).toMatchObject({
      choice: 'original',
      url: '/media/sources/a',
      pixels: { width: 2160, height: 3840 },
    });
    expect(planFor(timeline, light, [source], []).originals).toEqual({});
    expect(planFor(timeline, PLAINEST, [source], [copy('quarter', 4)]).originals).toEqual({});
    const missing: Source = { ...source, state: 'missing' };
    expect(planFor(timeline, light, [missing], [copy('quarter', 4)]).originals).toEqual({});
    // Room for reducing the original is there, though nothing plays from it.
    const [small, large] = [{ ...plan, originals: {} }, plan].map((each) => layoutFor(each, 1, sharesOf(64)));
    expect(large!.decodeRooms[0]!.bytes).toBeGreaterThan(small!.decodeRooms[0]!.bytes);
  });

  it('plays originals when copies are switched off', () => {
    expect(planFor(timeline, PLAINEST, [source], [copy('quarter', 4)]).pictures['a']!.choice).toBe(
      'original',
    );
  });

  it('plays the copy, without sound, when the original is missing, and nothing when there is no copy', () => {
    const missing: Source = { ...source, state: 'missing' };
    const plan = planFor(timeline, light, [missing], [copy('quarter', 4)]);
    expect(plan.pictures['a']!.choice).toBe('light copy');
    expect(plan.sounds).toEqual({});
    expect(planFor(timeline, light, [missing], []).pictures).toEqual({});
  });

  it('fits into memory without two things in one place', () => {
    const layout = layoutFor(planFor(timeline, light, [source], []), 2, sharesOf(192));
    const places = [
      ...layout.playSlots,
      ...layout.restSlots,
      layout.compose.composed,
      layout.compose.colours,
      ...layout.decodeRooms.map(({ address }) => address),
    ];
    expect(new Set(places).size).toBe(places.length);
    expect([...places].sort((a, b) => a - b)).toEqual(places);
    expect(layout.totalBytes).toBeLessThan(500 * 2 ** 20);
    expect(layout.mostWaiting).toBe(24);
    // The others keep pictures that were shown, up to the memory there is.
    expect(layout.playSlots.length * layout.playBytes).toBeGreaterThan(180 * 2 ** 20);
    expect(layout.playSlots.length * layout.playBytes).toBeLessThanOrEqual(192 * 2 ** 20);
    expect(
      layoutFor(planFor(timeline, PLAINEST, [source], []), 1, sharesOf(192)).playSlots.length,
    ).toBeGreaterThanOrEqual(8);
  });
});
