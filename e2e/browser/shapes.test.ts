import { execFileSync } from 'node:child_process';
import { rename } from 'node:fs/promises';
import { join } from 'node:path';
import type { Project } from '@hone/core/api';
import { rational } from '@hone/core/time';
import { makeCodedClip } from '@hone/demo';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { TestBrowser } from '../fixtures/browser.js';
import { codesOf } from '../fixtures/clips.js';
import { cutTimeline, TestServer } from '../fixtures/server.js';

/** An upright frame, as phones fill it. */
const SIZE = { width: 360, height: 640 };
const RATE = rational(24);
const FRAMES = 24;

/**
 * Three pictures that are stored otherwise than they are seen: lying on their side, upside down, and squeezed. `turn` is by
 * how many degrees a player must turn what is stored, counterclockwise as ffprobe says it (a display matrix, ISO/IEC 14496-12);
 * `transpose=1` turns by 90 clockwise.
 */
const SHAPES = [
  { name: 'on its side', filter: 'transpose=1', turn: 90 },
  { name: 'upside down', filter: 'hflip,vflip', turn: 180 },
  { name: 'squeezed', filter: 'scale=720:640,setsar=1/2', turn: 0 },
] as const;

/** What each frame shows when all pictures stand as they are seen: source and number. */
const CODES = SHAPES.flatMap((_, at) =>
  Array.from({ length: FRAMES }, (__, frame) => ({ source: at + 1, frame })),
);

describe('pictures of other shapes', () => {
  let server: TestServer;
  let browser: TestBrowser;
  let project: Project;

  async function makeShape(at: number): Promise<string> {
    const { name, filter, turn } = SHAPES[at]!;
    const path = join(server.footage, `${name}.mp4`);
    await makeCodedClip({ source: at + 1, ...SIZE, rate: '24', frames: FRAMES, filter, path });
    if (turn === 0) return path;
    // ffmpeg writes how a picture is turned only when it copies it.
    const turned = join(server.footage, 'turned.mp4');
    const said = ['-c', 'copy', '-metadata:s:v:0', `rotate=${turn}`, turned];
    execFileSync('ffmpeg', ['-v', 'error', '-y', '-i', path, ...said]);
    await rename(turned, path);
    return path;
  }

  const showsAll = async (): Promise<void> => {
    for (const frame of [0, 7, FRAMES, FRAMES + 11, 2 * FRAMES, 3 * FRAMES - 1]) {
      await browser.goTo(frame, 24);
      await browser.waitForCode(CODES[frame]!);
    }
  };

  beforeAll(async () => {
    server = await TestServer.start();
    ({ body: project } = await server.call<Project>('POST', 'projects', {
      ...{ name: 'Shapes', size: SIZE, rate: RATE },
    }));
    const paths = [];
    for (let at = 0; at < SHAPES.length; at++) paths.push(await makeShape(at));
    const sources = await server.addSources(project.id, paths);
    const cuts = SHAPES.map(({ name }) => {
      const { id: sourceId } = sources.find((source) => source.name === `${name}.mp4`)!;
      return { sourceId, sourceIn: rational(0), frames: FRAMES };
    });
    await server.setTimeline(project.id, cutTimeline(RATE, SIZE, cuts));
    await server.settle(project.id);
    browser = await TestBrowser.open(server.url);
    await browser.waitForPicture();
  });

  afterAll(async () => {
    await browser.close();
    await server.stop();
  });

  it('stand upright and fill their frame', async () => {
    const { width, height } = await browser.pixels();
    expect(width / height).toBeCloseTo(SIZE.width / SIZE.height, 1);
    await showsAll();
  });

  it('do so as light copies too', async () => {
    const sources = await server.get<{ id: string }[]>(`projects/${project.id}/sources`);
    const copies = await server.makeCopies(
      project.id,
      sources.map(({ id }) => id),
      2,
    );
    expect(copies.map(({ state }) => state)).toEqual(['ready', 'ready', 'ready']);
    const { tuning } = await server.get<Project>(`projects/${project.id}`);
    await server.call('PUT', `projects/${project.id}/tuning`, { ...tuning, lightCopies: true });
    // With the originals out of the way, the picture at rest is the copy's as well.
    const away = join(server.folder, 'away');
    await rename(server.footage, away);
    await browser.reload();
    await browser.page
      .getByTestId('plate')
      .getByText(/light copy/)
      .waitFor();
    await showsAll();
    await rename(away, server.footage);
    await server.get(`projects/${project.id}/sources`);
  });

  it('do so in an export, frame by frame', async () => {
    const record = await server.export(project.id);
    expect(record.state).toBe('ready');
    expect(codesOf(`${server.folder}/data/exports/${record.id}.mp4`)).toEqual(CODES);
  });

  it('have met no error on the way', () => expect(browser.errors).toEqual([]));
});
