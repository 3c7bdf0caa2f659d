import { mkdir, readdir, rename, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { CachedStretchRecord, Job, RenderCacheSettings } from '@hone/core/api';
import { findCached, stampsOf } from '@hone/core/cache';
import { renderGraph } from '@hone/core/render';
import { rational } from '@hone/core/time';
import { removeClips, type Clip, type Timeline } from '@hone/core/timeline';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { codesOf } from '../fixtures/clips.js';
import {
  CUT_SIZE,
  expectedCodes,
  makeCutProject,
  type CutProject,
  type NamedCut,
} from '../fixtures/cut-project.js';
import { TestServer } from '../fixtures/server.js';

/** Longer than one file of the cache, with a rate of its own, a varying rate, a speed and one clip backwards. */
const CUTS: readonly NamedCut[] = [
  ['long24', rational(1, 3), 70],
  ['fast60', rational(1, 3), 30, rational(3, 2)],
  ['varying', rational(1, 2), 40],
  ['pal25', rational(2), 30, rational(-1)],
];
const LENGTH = 170;

describe('the render cache', () => {
  let server: TestServer;
  let made: CutProject;

  beforeAll(async () => {
    server = await TestServer.start();
    made = await makeCutProject(server, 'Cached', CUTS);
  });

  afterAll(() => server.stop());

  const render = async (from: number, to: number, projectId = made.project.id): Promise<Job> => {
    const request = { ranges: [{ from, to }], size: CUT_SIZE };
    const { status, body } = await server.call<Job>(
      'POST',
      `projects/${projectId}/cached-stretches`,
      request,
    );
    expect(status, JSON.stringify(body)).toBe(202);
    return server.services.queue.finished(body.id);
  };
  const cached = (): Promise<CachedStretchRecord[]> => server.get('cached-stretches');
  const pathOf = ({ id }: CachedStretchRecord): string =>
    join(server.folder, 'data', 'render-cache', `${id}.mp4`);

  /** What each frame of a timeline shows from the cache, as its code; undefined where it plays live. */
  const shown = async (timeline: Timeline, projectId = made.project.id) => {
    const rows = await server.services.sources.list(projectId);
    const sources = await server.get<Parameters<typeof stampsOf>[0]>(`projects/${projectId}/sources`);
    const graph = renderGraph(timeline, (id) => rows.find((row) => row.id === id)?.facts ?? undefined);
    const stretches = await cached();
    const codes = new Map(stretches.map((each) => [each.id, codesOf(pathOf(each))]));
    const frames = Array.from({ length: graph.length }, () => undefined as unknown);
    for (const { from, to, stretchId, first } of findCached(graph, stretches, stampsOf(sources), CUT_SIZE))
      for (let frame = from; frame < to; frame++) frames[frame] = codes.get(stretchId)![first + frame - from];
    return frames;
  };

  it('holds the right frame of the right source for every frame that was rendered, and no other', async () => {
    expect(await render(10, 165)).toMatchObject({ state: 'done', problem: null });
    const stretches = await cached();
    expect(stretches.map(({ frameCount }) => frameCount)).toEqual([96, 59]);
    const expected = expectedCodes(CUTS);
    const wanted = expected.map((code, frame) => (frame >= 10 && frame < 165 ? code : undefined));
    expect(await shown(made.timeline)).toEqual(wanted);
  }, 120_000);

  it('renders only what is missing', async () => {
    const before = await cached();
    const ranges = [
      { from: 0, to: 90 },
      { from: 80, to: LENGTH },
    ];
    const at = `projects/${made.project.id}/cached-stretches`;
    const { body } = await server.call<Job>('POST', at, { ranges, size: CUT_SIZE });
    expect(body).toMatchObject({ ranges, title: 'Render of 170 frames from 00:00:00:00' });
    expect(await server.services.queue.finished(body.id)).toMatchObject({ state: 'done' });
    const after = await cached();
    const isNew = (each: CachedStretchRecord): boolean => !before.some(({ id }) => id === each.id);
    expect(after.filter(isNew).map(({ frameCount }) => frameCount)).toEqual([10, 5]);
    expect(await shown(made.timeline)).toEqual(expectedCodes(CUTS));
  }, 120_000);

  it('follows its content where a clip is deleted and the rest moves up, and in another project', async () => {
    const [pictures] = made.timeline.tracks;
    const picturesOnly = { ...made.timeline, tracks: [pictures!] };
    const moved = removeClips(picturesOnly, new Set([pictures!.clips[0]!.id]), true);
    const rest = CUTS.slice(1);
    expect(await shown(moved)).toEqual(expectedCodes(rest));

    const other = await makeCutProject(server, 'Other', rest);
    expect(await shown(other.timeline, other.project.id)).toEqual(expectedCodes(rest));
  }, 120_000);

  it('is not used where an effect changed the picture, and again after undo', async () => {
    const [first, ...others] = made.timeline.tracks[0]!.clips as [Clip, ...Clip[]];
    const blurred = {
      ...first,
      effects: [{ id: 'e', kind: 'blur', enabled: true, values: { radius: 2 } }],
    };
    const [pictures, ...tracks] = made.timeline.tracks;
    const edited = { ...made.timeline, tracks: [{ ...pictures!, clips: [blurred, ...others] }, ...tracks] };
    const codes = await shown(edited);
    expect(codes.slice(0, 70).every((code) => code === undefined)).toBe(true);
    expect(codes.slice(70)).toEqual(expectedCodes(CUTS).slice(70));
    expect(await shown(made.timeline)).toEqual(expectedCodes(CUTS));
  }, 120_000);

  it('is delivered with ranges, and deleted', async () => {
    const [first, ...rest] = await cached();
    const part = await fetch(`${server.url}/media/stretches/${first!.id}`, {
      headers: { Range: 'bytes=4-7' },
    });
    expect(part.status).toBe(206);
    expect(await part.text()).toBe('ftyp');
    const removed = await server.call('POST', 'cached-stretches/removal', { ids: [first!.id] });
    expect(removed.status).toBe(204);
    expect((await cached()).map(({ id }) => id)).toEqual(rest.map(({ id }) => id));
    expect((await fetch(`${server.url}/media/stretches/${first!.id}`)).status).toBe(404);
  });

  it('keeps what is complete when a render is cancelled, and goes on from there', async () => {
    const { id } = made.project;
    const timeline = await server.get<{ timeline: Timeline }>(`projects/${id}`);
    const [pictures] = timeline.timeline.tracks;
    const [first] = pictures!.clips;
    // A blur of its own for each clip: frames alike are rendered once.
    const soft = (radius: number) => ({ id: 'soft', kind: 'blur', enabled: true, values: { radius } });
    const clips = Array.from({ length: 10 }, (_, at): Clip => ({
      ...{ ...first!, id: `long-${at}`, start: 60 * at, length: 60, sourceIn: rational(at, 24) },
      effects: [soft(2 + at / 4)],
    }));
    const long = { ...timeline.timeline, tracks: [{ ...pictures!, clips }] };
    await server.setTimeline(id, long);
    const before = (await cached()).length;
    const { body: job } = await server.call<Job>('POST', `projects/${id}/cached-stretches`, {
      ...{ ranges: [{ from: 0, to: 600 }], size: { width: 1280, height: 720 } },
    });
    expect(job.ranges).toEqual([{ from: 0, to: 600 }]);
    await expect
      .poll(async () => (await cached()).length, { timeout: 60_000, interval: 20 })
      .toBeGreaterThan(before);
    await server.call('POST', `jobs/${job.id}/cancel`);
    expect(await server.services.queue.finished(job.id)).toMatchObject({ state: 'cancelled' });
    const kept = (await cached()).filter(({ size }) => size.width === 1280);
    expect(kept.length).toBeGreaterThan(0);
    expect(kept.length).toBeLessThan(7);
    expect(kept.map(({ frameCount }) => frameCount)).toEqual(kept.map(() => 96));

    const again = await server.call<Job>('POST', `projects/${id}/cached-stretches`, {
      ...{ ranges: [{ from: 0, to: 600 }], size: { width: 1280, height: 720 } },
    });
    expect(await server.services.queue.finished(again.body.id)).toMatchObject({ state: 'done' });
    const all = (await cached()).filter(({ size }) => size.width === 1280);
    expect(all.reduce((sum, { frameCount }) => sum + frameCount, 0)).toBe(600);
    expect(all.slice(0, kept.length).map((each) => each.id)).toEqual(kept.map((each) => each.id));
    await server.setTimeline(id, made.timeline);
  }, 180_000);

  it('stays within its size limit: the least valuable goes, and what is just rendered stays', async () => {
    const all = await cached();
    const bytes = all.reduce((sum, each) => sum + each.bytes, 0);
    const tooSmall = await server.call<{ detail: string }>('PUT', 'render-cache/settings', {
      quotaBytes: 1000,
    });
    expect([tooSmall.status, tooSmall.body.detail]).toEqual([400, expect.stringContaining('quotaBytes')]);
    const { body } = await server.call<RenderCacheSettings>('PUT', 'render-cache/settings', {
      quotaBytes: 100e6,
    });
    expect(body).toMatchObject({ quotaBytes: 100e6, folder: join(server.folder, 'data', 'render-cache') });
    expect(body.freeBytes).toBeGreaterThan(0);
    expect(bytes).toBeLessThan(100e6);
    expect((await cached()).length).toBe(all.length);

    const { stretches } = server.services;
    const rows = await stretches.list();
    const kept = new Set([rows.at(-1)!.id]);
    // As if there were room for nothing but the last one.
    stretches.settings = () => Promise.resolve({ ...body, quotaBytes: rows.at(-1)!.bytes });
    expect(await stretches.makeRoom(kept)).toBe(true);
    expect((await cached()).map(({ id }) => id)).toEqual([...kept]);
    Reflect.deleteProperty(stretches, 'settings');
  });

  it('goes on in another folder, keeps what is in the first, and stays whole when a drive is gone', async () => {
    const other = join(server.folder, 'another drive');
    const settings = (folder: string | null) =>
      server.call<RenderCacheSettings & { detail: string }>('PUT', 'render-cache/settings', { folder });
    const bare = join(server.folder, 'plain file');
    await writeFile(bare, 'x');
    for (const [path, why] of [
      ['render-cache', 'is no whole path'],
      [other, 'There is no folder'],
      [bare, 'There is no folder'],
    ] as const) {
      const { status, body } = await settings(path);
      expect([status, body.detail]).toEqual([422, expect.stringContaining(why)]);
      expect(body.detail).toContain('Choose a folder that is there');
    }
    const before = await cached();
    await mkdir(other);
    const folder = join(other, 'hone-render-cache');
    expect((await settings(other)).body).toMatchObject({ folder, chosenFolder: folder });
    await render(0, 24);
    const later = (await cached()).filter(({ id }) => !before.some((each) => each.id === id));
    const names = later.map(({ id }) => `${id}.mp4`).sort();
    expect(names.length).toBeGreaterThan(0);
    expect((await readdir(folder)).sort()).toEqual(names);
    const served = async ({ id }: CachedStretchRecord): Promise<number> =>
      (await fetch(`${server.url}/media/stretches/${id}`)).status;
    for (const each of [...before, ...later]) expect(await served(each)).toBe(200);
    // A file of the cache that nothing knows, as a crash leaves it, and one beside it.
    await writeFile(join(folder, 'unknown.mp4'), 'x');
    await writeFile(join(other, 'holiday.mp4'), 'x');
    await server.restart();
    expect((await readdir(folder)).sort()).toEqual(names);
    expect(await readdir(other)).toContain('holiday.mp4');

    await rename(other, `${other} gone`);
    expect(await served(later[0]!)).toBe(404);
    expect((await cached()).some(({ id }) => id === later[0]!.id)).toBe(false);
    const own = join(server.folder, 'data', 'render-cache');
    expect(await server.get('render-cache/settings')).toMatchObject({ folder: own, chosenFolder: folder });
    await rename(`${other} gone`, other);
    expect(await server.get('render-cache/settings')).toMatchObject({ folder });
    expect((await settings(null)).body).toMatchObject({ folder: own, chosenFolder: null });
  }, 120_000);

  it('says why nothing can be rendered', async () => {
    const at = `projects/${made.project.id}/cached-stretches`;
    const empty = await server.call<{ detail: string }>('POST', at, {
      ranges: [{ from: 500, to: 600 }],
      size: CUT_SIZE,
    });
    expect([empty.status, empty.body.detail]).toEqual([
      409,
      'There is no picture in these frames of the timeline.',
    ]);
    expect(
      (await server.call('POST', at, { ranges: [{ from: 0, to: 10 }], size: { width: 641, height: 360 } }))
        .status,
    ).toBe(400);
  });
});
