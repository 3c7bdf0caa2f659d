import { execFileSync } from 'node:child_process';
import { rename, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { Project, RunRecord } from '@hone/core/api';
import { rational } from '@hone/core/time';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessibilityFaults } from '../fixtures/accessible.js';
import { TestBrowser } from '../fixtures/browser.js';
import { makeCutProject, type CutProject } from '../fixtures/cut-project.js';
import { TestServer } from '../fixtures/server.js';

describe('ways that led nowhere', () => {
  let server: TestServer;
  let browser: TestBrowser;
  let made: CutProject;

  beforeAll(async () => {
    server = await TestServer.start();
    made = await makeCutProject(server, 'Ways', [
      ['long24', rational(0), 48],
      ['pal25', rational(0), 48],
    ]);
    await server.settle(made.project.id);
    browser = await TestBrowser.open(server.url);
    await browser.waitForPicture();
  });

  afterAll(async () => {
    await browser.close();
    await server.stop();
  });

  const project = (): Promise<Project> => server.get(`projects/${made.project.id}`);
  const editBar = () => browser.page.getByTestId('edit-bar');
  const boxOf = async (testId: string) => (await browser.page.getByTestId(testId).boundingBox())!;

  it('lead to the timeline by one key from the top of the page', async () => {
    const { page } = browser;
    await page.evaluate(() => (document.activeElement as HTMLElement | null)?.blur());
    await page.keyboard.press('Tab');
    await page.keyboard.press('Tab');
    await page.getByText('Skip to the timeline').waitFor();
    expect(await accessibilityFaults(page)).toEqual([]);
    await page.keyboard.press('Enter');
    expect(await page.evaluate(() => document.activeElement?.getAttribute('data-testid'))).toBe('timeline');
  });

  it.each([
    [1280, 800],
    [1024, 700],
    [640, 400],
  ])('show tracks and lanes at %i × %i, in both themes', async (width, height) => {
    const { page } = browser;
    await page.setViewportSize({ width, height });
    for (const theme of ['Light', 'Dark']) {
      await page.getByRole('button', { name: theme, exact: true }).click();
      const scroller = page.locator('hone-timeline-view .scroller');
      await scroller.scrollIntoViewIfNeeded();
      expect((await scroller.boundingBox())!.height).toBeGreaterThan(60);
      // A frame is at one x in tracks and lanes, scroll bar or not.
      const [tracks, lanes] = await Promise.all(
        ['timeline', 'lanes'].map((name) => page.getByTestId(name).boundingBox()),
      );
      expect([lanes!.x, lanes!.width]).toEqual([tracks!.x, tracks!.width]);
      // A clip, the ground of its track and the page are three different greys.
      const greys = await page.evaluate(() => {
        const canvas = document.querySelector<HTMLCanvasElement>('[data-testid="timeline"] canvas')!;
        const context = canvas.getContext('2d')!;
        const at = (x: number, y: number): number => context.getImageData(x, y, 1, 1).data[0]!;
        const middle = Math.round(canvas.width / 2) + 40;
        // Under the ruler stands the picture track: its ground above the clip, the clip, and the page beside the tracks.
        return { ground: at(middle, 22), clip: at(middle, 40) };
      });
      const page_ = await page.evaluate(() => {
        const [red] = getComputedStyle(document.querySelector('hone-timeline-view')!).backgroundColor.match(
          /\d+/g,
        )!;
        return Number(red);
      });
      expect(Math.abs(greys.clip - greys.ground)).toBeGreaterThan(8);
      expect(Math.abs(greys.ground - page_)).toBeGreaterThan(8);
    }
    await page.setViewportSize({ width: 1280, height: 800 });
  });

  it.each(['Sources', 'Rig', 'Runs', 'Export'])(
    'cut nothing off on the page %s, at any size',
    async (name) => {
      const { page } = browser;
      for (const [width, height] of [
        [1280, 800],
        [1024, 700],
        [640, 400],
      ] as const) {
        await page.setViewportSize({ width, height });
        await page.getByRole('link', { name }).click();
        await page.getByRole('heading', { name, level: 1 }).waitFor();
        // Whatever stands outside of the window can be scrolled to.
        const lost = await page.evaluate(() =>
          [...document.querySelectorAll<HTMLElement>('main button, main a, main input, main h1, main h2')]
            .filter((element) => element.checkVisibility() && element.getClientRects().length > 0)
            .filter((element) => {
              element.scrollIntoView({ block: 'nearest', inline: 'nearest' });
              const { left, right, top, bottom } = element.getBoundingClientRect();
              return (
                right - left > 1 &&
                (left < -1 || top < -1 || right > innerWidth + 1 || bottom > innerHeight + 1)
              );
            })
            .map((element) => element.textContent.trim() || element.getAttribute('aria-label')),
        );
        expect(lost, `${width} × ${height}`).toEqual([]);
      }
      await page.setViewportSize({ width: 1280, height: 800 });
      await page.getByRole('link', { name: 'Work' }).click();
      await browser.waitForPicture();
    },
  );

  it('keep the keys alive after a lever was clicked', async () => {
    const { page } = browser;
    await page.keyboard.press('Home');
    await browser.waitForCode({ source: 1, frame: 0 });
    await page.getByTestId('play-scale').getByText('1:8', { exact: true }).click();
    await page.keyboard.press('ArrowRight');
    await browser.waitForCode({ source: 1, frame: 1 });
    await page.getByTestId('play-scale').getByText('1:4', { exact: true }).click();
    await page.keyboard.press(' ');
    await browser.playButton('Stop').waitFor();
    await page.keyboard.press(' ');
    await browser.playButton('Play').waitFor();
  });

  it('undo what an earlier visit edited, and say so by a button that works', async () => {
    const { page } = browser;
    const before = await project();
    await page.keyboard.press('Home');
    for (let step = 0; step < 10; step++) await page.keyboard.press('ArrowRight');
    await page.keyboard.press('h');
    const clipsOf = async (): Promise<number> => (await project()).timeline.tracks[0]!.clips.length;
    await expect.poll(clipsOf).toBe(3);
    await browser.reload();
    await editBar().getByRole('button', { name: 'Undo' }).click();
    await expect.poll(clipsOf).toBe(2);
    expect((await project()).timeline).toEqual(before.timeline);
    await editBar().getByRole('button', { name: 'Redo' }).click();
    await expect.poll(clipsOf).toBe(3);
    await editBar().getByRole('button', { name: 'Undo' }).click();
    await expect.poll(clipsOf).toBe(2);
  });

  it('say that a run was of another timeline, and bring it back with the edit undone', async () => {
    const { page } = browser;
    await page.keyboard.press('Home');
    await browser.playThrough();
    const runs = await server.get<RunRecord[]>(`projects/${made.project.id}/runs`);
    expect(runs[0]!.facts.wholeFrames).toBe(96);
    await page.getByTestId('verdict').waitFor();
    await page.keyboard.press('Home');
    await page.getByTestId('timeline').focus();
    await page.keyboard.press('h');
    for (let step = 0; step < 12; step++) await page.keyboard.press('ArrowRight');
    await page.keyboard.press('h');
    await page.getByTestId('outdated').waitFor();
    expect(await page.getByTestId('outdated').textContent()).toContain('before its clips changed');
    expect(await page.getByTestId('figures').count()).toBe(0);
    await editBar().getByRole('button', { name: 'Undo' }).click();
    await page.getByTestId('verdict').waitFor();
    // A part of it is called a part.
    await page.keyboard.press('Home');
    await page.keyboard.press('i');
    for (let step = 0; step < 9; step++) await page.keyboard.press('ArrowRight');
    await page.keyboard.press('o');
    await browser.playThrough();
    await expect
      .poll(() => page.getByTestId('share').textContent())
      .toMatch(/Measured on 10 frames, 10.\d %/);
    expect(await page.getByTestId('unlike').textContent()).toContain(
      'Not like with like: the run before played frames 0 to 95',
    );
    await page.keyboard.press('u');
  });

  it('do not move anything when a notice comes, and let it be dismissed', async () => {
    const { page } = browser;
    const boxes = async (): Promise<unknown[]> => [await boxOf('timeline'), await boxOf('play')];
    // Whatever the test before has changed is drawn first.
    let before = await boxes();
    const isSettled = async (): Promise<boolean> => {
      const last = JSON.stringify(before);
      before = await boxes();
      return JSON.stringify(before) === last;
    };
    await expect.poll(isSettled, { interval: 200 }).toBe(true);
    const wrong = join(server.footage, 'wrong.edl');
    await writeFile(wrong, 'TITLE: x\n001 AX V C 99:00:00:00 00:00:01:00 00:00:00:00 00:00:01:00\n');
    await page.getByTestId('timeline-file').setInputFiles(wrong);
    await page.getByText(/"wrong.edl" was not opened/).waitFor();
    expect(await boxes()).toEqual(before);
    await page.getByRole('button', { name: 'Dismiss' }).click();
    await expect.poll(() => page.getByText(/"wrong.edl" was not opened/).count()).toBe(0);
  });

  it('ask for the rate of an edit list, and count as it counts', async () => {
    const { page } = browser;
    const list = join(server.footage, 'list.edl');
    await writeFile(
      list,
      'TITLE: Mill\nFCM: NON-DROP FRAME\n001 AX V C 00:00:00:00 00:00:02:00 01:00:00:00 01:00:02:00\n* FROM CLIP NAME: long24.mp4\n',
    );
    await page.getByTestId('timeline-file').setInputFiles(list);
    await page.getByTestId('import-rate').click();
    await page.getByRole('option', { name: '29.97 frames/s' }).click();
    await page.getByText('1 clip, 29.97 frames/s').waitFor();
    await page.getByTestId('use-import').click();
    await expect.poll(async () => (await project()).timeline.rate).toEqual({ num: 30_000, den: 1001 });
    expect((await project()).timeline).toMatchObject({ dropFrame: false, startFrame: 108_000 });
    // 3,600 seconds of 30 frame numbers each; dropping numbers, the same frame would be 01:00:03;18 (SMPTE ST 12-1).
    await page.keyboard.press('Home');
    await page.getByText('01:00:00:00').first().waitFor();
    await editBar().getByRole('button', { name: 'Undo' }).click();
    await expect.poll(async () => (await project()).timeline.rate).toEqual({ num: 24, den: 1 });
  });

  it('forget a missing source on the page Work when none of its clips is there', async () => {
    const { page } = browser;
    const extra = join(server.footage, 'extra.mp4');
    execFileSync('ffmpeg', ['-v', 'error', '-f', 'lavfi', '-i', 'testsrc2=s=320x180:d=1', extra]);
    await server.addSources(made.project.id, [extra]);
    await rename(extra, join(server.folder, 'extra.mp4'));
    await server.untilSource(made.project.id, 'extra.mp4', ({ state }) => state === 'missing');
    await page.getByRole('link', { name: 'Sources' }).click();
    await page.getByText(/extra.mp4 any more/).waitFor();
    await page.getByRole('link', { name: 'Work' }).click();
    await browser.waitForPicture();
    expect(await page.getByText(/extra.mp4 any more/).count()).toBe(0);
  });

  it('rename a project, change its frame, and delete it', async () => {
    const { page } = browser;
    const open = async (): Promise<void> => {
      await page.getByRole('button', { name: 'Projects' }).click();
      await page.getByRole('menuitem', { name: 'Project settings' }).click();
      // A dialog that is still fading in has neither its colours nor its labels yet.
      await page.getByTestId('frame-rate').waitFor();
      await page.waitForFunction(() =>
        document.getAnimations().every(({ playState }) => playState === 'finished'),
      );
    };
    await open();
    for (const label of ['Name', 'Frame size', 'Frame rate']) {
      const shown = page.locator('mat-label', { hasText: label }).first();
      await shown.waitFor();
      expect((await shown.boundingBox())!.width, label).toBeGreaterThan(10);
    }
    expect(await accessibilityFaults(page)).toEqual([]);
    await page.getByLabel('Name', { exact: true }).fill('Other ways');
    await page.getByTestId('frame-size').click();
    await page.getByRole('option', { name: '1280 × 720' }).click();
    await page.getByRole('button', { name: 'Save settings' }).click();
    await expect.poll(async () => (await project()).name).toBe('Other ways');
    await expect.poll(async () => (await project()).timeline.size).toEqual({ width: 1280, height: 720 });
    expect((await project()).delivery.size).toEqual({ width: 1280, height: 720 });
    await open();
    await page.getByRole('button', { name: 'Delete project …' }).click();
    await page.getByText(/It cannot be undone/).waitFor();
    await page.getByTestId('delete-project').click();
    await page.getByText('No project yet').waitFor();
    expect(await server.get<Project[]>('projects')).toEqual([]);
  });

  it('have met no error on the way', () => {
    // The browser itself reports the file that it cannot play.
    const told = browser.errors.filter((text) => !/404|409|ERR_/.test(text));
    expect(told).toEqual([]);
  });
});
