import { join } from 'node:path';
import type { ExportRecord, LightCopy, Project, RunRecord, Source } from '@hone/core/api';
import { makeCodedClip } from '@hone/demo';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessibilityFaults } from '../fixtures/accessible.js';
import { TestBrowser } from '../fixtures/browser.js';
import { codesOf } from '../fixtures/clips.js';
import { TestServer } from '../fixtures/server.js';

const HEAVY = ['-c:v', 'libx264', '-preset', 'ultrafast', '-crf', '24', '-g', '48', '-bf', '0', '-f', 'mp4'];

// One long way through the interface, as a new user would go it, on a clip that this machine cannot play at 1:1.
describe('from choppy to smooth, by hand', () => {
  let server: TestServer;
  let browser: TestBrowser;
  let project: Project;

  beforeAll(async () => {
    server = await TestServer.start();
    const heavy = {
      source: 5,
      width: 3840,
      height: 2160,
      rate: '60',
      frames: 150,
      sound: true,
      encoder: HEAVY,
    };
    await makeCodedClip({ ...heavy, path: join(server.footage, 'Heavy.mp4') });
    browser = await TestBrowser.open(server.url);
  });

  afterAll(async () => {
    await browser.close();
    await server.stop();
  });

  const accessible = async (): Promise<void> => expect(await accessibilityFaults(browser.page)).toEqual([]);
  const runs = (): Promise<RunRecord[]> => server.get(`projects/${project.id}/runs`);

  it('begins with nothing and says what to do', async () => {
    await browser.page.getByText('No project yet').waitFor();
    await accessible();
  });

  it('makes a project', async () => {
    const { page } = browser;
    await page.getByRole('button', { name: 'Projects' }).click();
    await page.getByRole('menuitem', { name: 'New project' }).click();
    await page.getByLabel('Name').fill('By hand');
    await page.getByRole('button', { name: 'Create' }).click();
    await page.getByText('Nothing to play yet').waitFor();
    project = (await server.get<Project[]>('projects'))[0]!;
    expect(project.name).toBe('By hand');
    await accessible();
  });

  it('adds a clip from a folder and puts it on the timeline', async () => {
    const { page } = browser;
    await page.getByRole('link', { name: 'Go to Sources' }).click();
    await page.getByText('No sources yet').waitFor();
    await page.getByTestId('add-media').click();
    await page.getByRole('button', { name: /footage/ }).click();
    await page.getByRole('checkbox', { name: /Heavy/ }).check();
    await page.getByRole('button', { name: 'Add 1 file' }).click();
    await expect
      .poll(async () => (await server.get<Project>(`projects/${project.id}`)).revision)
      .toBeGreaterThan(0);
    await page.getByText('taken from the first clip: 3840 × 2160, 60 frames/s').waitFor();
    await page.getByRole('button', { name: 'Dismiss' }).click();
    const { timeline } = await server.get<Project>(`projects/${project.id}`);
    expect(timeline).toMatchObject({ size: { width: 3840, height: 2160 }, rate: { num: 60, den: 1 } });
    expect(timeline.tracks.map(({ clips }) => clips.length)).toEqual([1, 1]);
    await server.settle(project.id);
    await accessible();
  });

  it('plays with drops and names the stage that holds it back', async () => {
    const { page } = browser;
    await page.getByRole('link', { name: 'Work' }).click();
    await browser.waitForPicture();
    await page.getByTestId('play-scale').getByText('1:1', { exact: true }).click();
    await browser.playThrough();
    const [run] = await runs();
    expect(run!.summary.wanted).toBe(150);
    expect(run!.summary.dropped).toBeGreaterThan(24);
    const figures = await page.getByTestId('figures').textContent();
    expect(figures).toContain(`${run!.summary.shown} of 150`);
    expect(await page.getByTestId('verdict').textContent()).toContain(
      `${run!.summary.dropped} frames of 150 dropped`,
    );
    // The machine is not measured here: the costs of a similar one, calibrated by the run, name the stage.
    await page.getByTestId('rough').waitFor();
    const finding = page.locator('hone-finding-list .finding').first();
    await expect
      .poll(() => finding.textContent())
      .toMatch(
        new RegExp(
          `${run!.summary.dropped} frames dropped in the run.*shows in the stage (decode|scale|show)`,
        ),
      );
    await accessible();
  });

  it('says how many pixels a scale means', async () => {
    const board = browser.page.locator('hone-lever-board');
    await board.getByText('3840 × 2160', { exact: true }).first().waitFor();
    await board.getByText('1920 × 1080', { exact: true }).waitFor();
  });

  it('works in a smaller frame than it delivers, and the delivery does not see it', async () => {
    const { page } = browser;
    const before = await server.get<Project>(`projects/${project.id}`);
    const sizes = page.getByTestId('working-size');
    await sizes.getByText('720', { exact: true }).click();
    await page.locator('hone-lever-board').getByText('1280 × 720', { exact: true }).first().waitFor();
    await expect.poll(() => page.getByTestId('plate').textContent()).toMatch(/640 × 360 of 3840 × 2160/);
    const after = await server.get<Project>(`projects/${project.id}`);
    expect(after.tuning).toEqual({ ...before.tuning, workingLines: 720 });
    expect(after.delivery).toEqual(before.delivery);
    expect(after.timeline).toEqual(before.timeline);
    await sizes.getByText('2160', { exact: true }).click();
    await expect.poll(() => page.getByTestId('plate').textContent()).toMatch(/1920 × 1080 of 3840 × 2160/);
  });

  it('costs less with fewer pixels, and stands beside the run before', async () => {
    const { page } = browser;
    await page.getByTestId('play-scale').getByText('1:8', { exact: true }).click();
    await page.keyboard.press('Home');
    await browser.playThrough();
    const [now, before] = await runs();
    expect(now!.facts.tuning.playScale).toBe(8);
    // 64 times fewer pixels are converted and shown.
    expect(now!.summary.stageMs.show / now!.summary.shown).toBeLessThan(
      before!.summary.stageMs.show / before!.summary.shown / 4,
    );
    const cells = await page.getByTestId('figures').textContent();
    expect(cells).toContain('1:1, originals');
    expect(cells).toContain('1:8, originals');
  });

  it('makes a light copy that is predicted before and used when it is ready', async () => {
    const { page } = browser;
    await page.getByTestId('play-scale').getByText('1:4', { exact: true }).click();
    const button = page
      .getByRole('button', { name: /^Make copies of 1 clip/ })
      .or(page.getByRole('button', { name: 'Make a copy of Heavy.mp4' }));
    await button.first().click();
    await page
      .getByText(/Light copy of Heavy/)
      .first()
      .waitFor();
    await server.settle(project.id);
    const [copy] = await server.get<LightCopy[]>(`projects/${project.id}/copies`);
    expect(copy).toMatchObject({ state: 'ready', width: 960, height: 540 });
    await page.getByTestId('copies').getByText('SSIM').waitFor();
  });

  it('sounds as the source does, by the clock of the sound device', async () => {
    const { page } = browser;
    await page.keyboard.press('Home');
    await page.getByTestId('play').click();
    await page.getByTestId('plate').getByText('light copy 960 × 540').waitFor();
    await expect.poll(() => browser.loudestFrequency(), { interval: 50 }).toBeGreaterThan(300);
    expect(Math.abs((await browser.loudestFrequency()) - 330)).toBeLessThan(8);
    await browser.playButton('Play').waitFor();
    await expect.poll(async () => (await runs()).length).toBe(3);
    expect((await runs())[0]!.facts.clock).toBe('sound');
    await expect.poll(() => browser.loudestFrequency()).toBe(0);
  });

  it('drops far fewer frames then', async () => {
    await browser.page.keyboard.press('Home');
    await browser.playThrough();
    const list = await runs();
    const after = list[0]!.summary;
    const before = list.at(-1)!.summary;
    expect(list[0]!.facts.copiedSources).toHaveLength(1);
    expect(after.dropped).toBeLessThan(before.dropped / 4);
    expect(after.firstFrameMs).not.toBeNull();
  });

  it('plays between in and out point', async () => {
    const { page } = browser;
    await page.keyboard.press('Home');
    await page.keyboard.press('Shift+ArrowRight');
    await page.keyboard.press('i');
    await page.keyboard.press('Shift+ArrowRight');
    await page.keyboard.press('o');
    await page.keyboard.press('Home');
    await browser.playThrough();
    const [run] = await runs();
    expect(run!.facts.firstFrame).toBe(60);
    expect(run!.summary.wanted).toBe(61);
    await page.keyboard.press('u');
  });

  it('takes a clip off the timeline and back again', async () => {
    const { page } = browser;
    const clips = async (): Promise<number> => {
      const { timeline } = await server.get<Project>(`projects/${project.id}`);
      return timeline.tracks.reduce((sum, track) => sum + track.clips.length, 0);
    };
    await page.keyboard.press('Delete');
    await page.getByText('Nothing to play yet').waitFor();
    await expect.poll(clips).toBe(0);
    await page.keyboard.press('Control+z');
    await expect.poll(clips).toBe(2);
    await browser.waitForPicture();
  });

  it('keeps the run of someone who leaves the page while it plays', async () => {
    const { page } = browser;
    const before = (await runs()).length;
    await page.keyboard.press('Home');
    await page.getByTestId('play').click();
    await expect.poll(() => page.getByTestId('figures').textContent()).toContain('now');
    await page.waitForTimeout(500);
    await page.getByRole('link', { name: 'Runs' }).click();
    await expect.poll(async () => (await runs()).length).toBe(before + 1);
    await page.getByRole('link', { name: 'Work' }).click();
    await browser.waitForPicture();
    await browser.playButton('Play').waitFor();
  });

  it('shuttles with J, K and L', async () => {
    const { page } = browser;
    const frame = (): Promise<number> =>
      page.evaluate(() => {
        const [, , seconds, frames] = document
          .querySelector('[data-testid="timecode"]')!
          .textContent.split(':')
          .map(Number);
        return seconds! * 60 + frames!;
      });
    await page.keyboard.press('End');
    await expect.poll(frame).toBe(149);
    await page.keyboard.press('j');
    await expect.poll(frame).toBeLessThan(149);
    await page.keyboard.press('k');
    const back = await frame();
    expect(back).toBeLessThan(149);
    await page.keyboard.press('l');
    await expect.poll(frame).toBeGreaterThan(back);
    await page.keyboard.press('k');
  });

  it('opens the sheet of keys with the question mark', async () => {
    const { page } = browser;
    await page.keyboard.press('?');
    await page.getByRole('heading', { name: 'Keyboard shortcuts' }).waitFor();
    await page.keyboard.press('Escape');
    await page.getByRole('heading', { name: 'Keyboard shortcuts' }).waitFor({ state: 'detached' });
  });

  it('lists the runs and lays two on one axis', async () => {
    const { page } = browser;
    await page.getByRole('link', { name: 'Runs' }).click();
    const listed = (await runs()).length;
    await expect.poll(() => page.getByTestId('runs').locator('tbody tr').count()).toBe(listed);
    await accessible();
  });

  it('exports from the original, with a proof, and shows the film', async () => {
    const { page } = browser;
    await page.getByRole('link', { name: 'Export' }).click();
    await page.getByTestId('export').click();
    await page.getByText('Export being made').or(page.getByLabel('Progress of the export')).first().waitFor();
    await accessible();
    await page.getByTestId('proof').waitFor({ timeout: 450_000 });
    const [record] = await server.get<ExportRecord[]>(`projects/${project.id}/exports`);
    expect(record!.proof!.otherInputs).toEqual([]);
    const proof = await page.getByTestId('proof').textContent();
    expect(proof).toContain('150 of 150 frames are in the file');
    expect(proof).toContain('opened the 1 originals below and nothing else');
    await page.waitForFunction(
      () => document.querySelector<HTMLVideoElement>('[data-testid="film"]')!.videoWidth === 3840,
    );
    const path = join(server.folder, 'data', 'exports', `${record!.id}.mp4`);
    const codes = codesOf(path);
    expect(codes).toEqual(Array.from({ length: 150 }, (_, frame) => ({ frame, source: 5 })));
    await accessible();
  });

  it('says what is wrong with a file that cannot be used', async () => {
    const { page } = browser;
    await page.getByRole('link', { name: 'Sources' }).click();
    await page.getByTestId('add-media').click();
    await page
      .getByTestId('upload')
      .setInputFiles({ name: 'notes.mp4', mimeType: 'video/mp4', buffer: Buffer.from('no film') });
    await page.getByTestId('copy-files').click();
    await page.getByText('not media').waitFor();
    const sources = await server.get<Source[]>(`projects/${project.id}/sources`);
    expect(sources.map(({ state }) => state)).toEqual(['ready', 'unreadable']);
  });

  it('is usable at 1024 × 700 and in the light theme', async () => {
    const { page } = browser;
    await page.setViewportSize({ width: 1024, height: 700 });
    await page.getByRole('link', { name: 'Work' }).click();
    await page.getByRole('button', { name: 'Light', exact: true }).click();
    await browser.waitForPicture();
    const scrolls = await page.evaluate(
      () =>
        document.documentElement.scrollHeight > innerHeight ||
        document.documentElement.scrollWidth > innerWidth,
    );
    expect(scrolls).toBe(false);
    await accessible();
  });

  it('stays usable at 200 % zoom', async () => {
    const { page } = browser;
    await page.setViewportSize({ width: 640, height: 400 });
    for (const id of ['play', 'verdict', 'play-scale', 'timeline']) {
      await page.getByTestId(id).scrollIntoViewIfNeeded();
      const box = (await page.getByTestId(id).boundingBox())!;
      expect(box.x).toBeGreaterThanOrEqual(0);
      expect(box.x + box.width).toBeLessThanOrEqual(640);
    }
  });

  it('has met no error on the way', () => expect(browser.errors).toEqual([]));
});
