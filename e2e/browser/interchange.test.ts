import { copyFile, readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { Project, Problem, Source } from '@hone/core/api';
import { readOtio } from '@hone/core/interchange';
import { rational } from '@hone/core/time';
import type { Timeline } from '@hone/core/timeline';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessibilityFaults } from '../fixtures/accessible.js';
import { TestBrowser } from '../fixtures/browser.js';
import { makeCutProject, type CutProject } from '../fixtures/cut-project.js';
import { TestServer } from '../fixtures/server.js';

const time = (value: number) => ({ OTIO_SCHEMA: 'RationalTime.1', value, rate: 24 });
const clip = (name: string, start: number, duration: number, more: object = {}) => ({
  OTIO_SCHEMA: 'Clip.2',
  name,
  source_range: { OTIO_SCHEMA: 'TimeRange.1', start_time: time(start), duration: time(duration) },
  media_references: {
    DEFAULT_MEDIA: { OTIO_SCHEMA: 'ExternalReference.1', target_url: `/elsewhere/${name}.mp4` },
  },
  active_media_reference_key: 'DEFAULT_MEDIA',
  ...more,
});

/** Timelines that come from other programs and go to them, through the page. */
describe('open formats', () => {
  let server: TestServer;
  let browser: TestBrowser;
  let made: CutProject;
  const kept = async (): Promise<Timeline> =>
    (await server.get<Project>(`projects/${made.project.id}`)).timeline;
  const line = async (track = 0): Promise<string[]> =>
    (await kept()).tracks[track]!.clips.map(({ name, start, length }) => `${name} ${start}+${length}`);
  const open = async (name: string, text: string): Promise<void> => {
    const path = join(server.folder, name);
    await writeFile(path, text);
    await browser.page.getByLabel('Timeline file to open').setInputFiles(path);
  };

  beforeAll(async () => {
    server = await TestServer.start();
    made = await makeCutProject(server, 'Formats', [['long24', rational(0), 48]]);
    // Not in the project yet: it stands in a folder of the media folders.
    await copyFile(made.paths.pal25, join(server.footage, 'found later.mp4'));
    await server.settle(made.project.id);
    browser = await TestBrowser.open(server.url);
    await browser.waitForPicture();
  });

  afterAll(async () => {
    await browser.close();
    await server.stop();
  });

  it('takes a timeline, finds its media in the folders, and keeps a place for what is missing', async () => {
    const warp = { OTIO_SCHEMA: 'LinearTimeWarp.1', time_scalar: 2 };
    const file = {
      OTIO_SCHEMA: 'Timeline.1',
      name: 'From elsewhere',
      global_start_time: time(86_400),
      tracks: {
        OTIO_SCHEMA: 'Stack.1',
        children: [
          {
            OTIO_SCHEMA: 'Track.1',
            kind: 'Video',
            name: 'V1',
            children: [
              clip('long24', 24, 24),
              {
                OTIO_SCHEMA: 'Transition.1',
                transition_type: 'SMPTE_Dissolve',
                in_offset: time(4),
                out_offset: time(4),
              },
              clip('found later', 24, 24, { effects: [warp] }),
              clip('nowhere', 0, 24),
              { OTIO_SCHEMA: 'Weather.1' },
            ],
          },
        ],
      },
    };
    await open('elsewhere.otio', JSON.stringify(file));
    const { page } = browser;
    const dialog = page.getByTestId('import');
    await dialog.getByText('1 track, 3 clips, 24 frames/s').waitFor();
    expect(await page.getByTestId('import-notes').textContent()).toContain('"Weather" is not known');
    expect(await page.getByTestId('import-media').textContent()).toBe(
      '1 of 3 files found; these are missing:',
    );
    // While it comes in, its colours are mixed with what is below.
    await page.waitForTimeout(500);
    expect(await accessibilityFaults(page)).toEqual([]);
    await page.getByRole('button', { name: 'Search the media folders' }).click();
    await page.getByText('2 of 3 files found').waitFor();
    await page.getByTestId('use-import').click();
    await expect.poll(() => line()).toEqual(['long24 0+24', 'found later 24+24', 'nowhere 48+24']);
    const { tracks, startFrame } = await kept();
    expect(startFrame).toBe(86_400);
    expect(tracks[0]!.clips[1]!.speed).toEqual({ num: 2, den: 1 });
    expect(tracks[0]!.transitions).toMatchObject([{ kind: 'crossfade', at: 24, before: 4, after: 4 }]);
    await browser.goTo(30, 24);
    // Six frames of a 24th behind the start, twice as fast, of a clip with 25 a second that begins a second in.
    await browser.waitForCode({ source: 3, frame: 38 });
  });

  it('shows what is missing, and holds the export back with the list', async () => {
    const sources = await server.get<Source[]>(`projects/${made.project.id}/sources`);
    const missing = sources.find(({ name }) => name === 'nowhere.mp4')!;
    expect(missing.state).toBe('missing');
    expect(missing.problem).toContain(`Put it into ${server.footage}`);
    await browser.page.getByText(/nowhere\.mp4: .*not found in the media folders/).waitFor();
    const { status, body } = await server.call<Problem>('POST', `projects/${made.project.id}/exports`);
    expect(status).toBe(409);
    expect(body.detail).toContain('nowhere.mp4');
  });

  it('is one edit, which can be undone', async () => {
    await browser.page.keyboard.press('Control+z');
    await expect.poll(() => line()).toEqual(['cut 0 0+48']);
    await browser.page.keyboard.press('Control+y');
    await expect.poll(() => line()).toHaveLength(3);
  });

  it('saves what it has as OpenTimelineIO and as an edit list', async () => {
    const { page } = browser;
    const saved = async (item: string): Promise<string> => {
      await page.getByRole('button', { name: 'File', exact: true }).click();
      const waiting = page.waitForEvent('download');
      await page.getByRole('menuitem', { name: item }).click();
      const path = join(server.folder, `saved ${item}`);
      await (await waiting).saveAs(path);
      return readFile(path, 'utf8');
    };
    const otio = await saved('Save as OpenTimelineIO');
    expect(readOtio(otio).tracks[0]!.clips.map(({ media }) => media.name)).toEqual([
      'long24.mp4',
      'found later.mp4',
      'nowhere.mp4',
    ]);
    expect(otio).toContain(encodeURI(`file://${server.footage}/found later.mp4`));
    const list = await saved('Save as CMX 3600 edit list');
    expect(list).toMatch(/^002 {2}AX {7}V {5}D {4}008 /m);
    expect(list).toMatch(/^M2 {3}AX {7}048\.00/m);
    // And back again, as a whole.
    await open('back.edl', list);
    await page.getByTestId('use-import').click();
    await expect
      .poll(() => line())
      .toEqual(['long24.mp4 0+20', 'found later.mp4 20+28', 'nowhere.mp4 48+24']);
  });

  it('opens an earlier timeline again', async () => {
    const { page } = browser;
    await page.getByRole('button', { name: 'File', exact: true }).click();
    await page.getByRole('menuitem', { name: 'Saved versions' }).click();
    await page
      .getByRole('menuitem', { name: /· 2 clips, 48 frames/ })
      .last()
      .click();
    await expect.poll(() => line()).toEqual(['cut 0 0+48']);
    await page.keyboard.press('Control+z');
    await expect.poll(() => line()).toHaveLength(3);
  });

  it('lays nested stacks flat, says so, and writes them back as they were', async () => {
    const { page } = browser;
    const inner = (name: string, ...children: object[]): object => ({
      ...{ OTIO_SCHEMA: 'Track.1', kind: 'Video', name, children },
    });
    const nested = {
      ...{ OTIO_SCHEMA: 'Stack.1', name: 'a day at the mill' },
      source_range: { OTIO_SCHEMA: 'TimeRange.1', start_time: time(6), duration: time(18) },
      children: [inner('below', clip('long24', 24, 24)), inner('above', clip('found later', 0, 12))],
    };
    const children = [clip('long24', 0, 24), nested];
    const track = { ...inner('V1'), children };
    const file = {
      ...{ OTIO_SCHEMA: 'Timeline.1', name: 'Nested' },
      tracks: { OTIO_SCHEMA: 'Stack.1', children: [track] },
    };
    await open('nested.otio', JSON.stringify(file));
    await page
      .getByTestId('import-notes')
      .getByText(/Nested stacks were laid flat/)
      .waitFor();
    await page.getByTestId('use-import').click();
    await expect.poll(() => line(0)).toEqual(['long24 0+24', 'long24 24+18']);
    expect(await line(1)).toEqual(['found later 24+6']);
    // Six frames into the stack, and then behind the end of what lies above.
    await browser.goTo(26, 24);
    await browser.waitForCode({ source: 3, frame: 8 });
    await browser.goTo(31, 24);
    await browser.waitForCode({ source: 1, frame: 37 });
    await page.getByRole('button', { name: 'File', exact: true }).click();
    const waiting = page.waitForEvent('download');
    await page.getByRole('menuitem', { name: 'Save as OpenTimelineIO' }).click();
    const path = join(server.folder, 'saved nested.otio');
    await (await waiting).saveAs(path);
    const written = JSON.parse(await readFile(path, 'utf8')) as {
      tracks: { children: { children: { OTIO_SCHEMA: string; name: string; children?: object[] }[] }[] };
    };
    expect(written.tracks.children).toHaveLength(1);
    const [, stack] = written.tracks.children[0]!.children;
    expect(stack).toMatchObject({ OTIO_SCHEMA: 'Stack.1', name: 'a day at the mill' });
    expect(stack!.children).toHaveLength(2);
  });

  it('says of a damaged file where it is damaged, and changes nothing', async () => {
    const before = await kept();
    await open('broken.edl', '001 AX V C 01:00:00:00 01:00:99:00 00:00:00:00 00:00:01:00');
    await browser.page
      .getByText('"broken.edl" was not opened. line 1: "01:00:99:00" has a field that is too large')
      .waitFor();
    await open('broken.otio', JSON.stringify({ OTIO_SCHEMA: 'Clip.2' }));
    await browser.page.getByText('a timeline was expected, but there is Clip').waitFor();
    expect(await kept()).toEqual(before);
  });

  it('has met no error on the way', () => expect(browser.errors).toEqual([]));
});
