import { mkdir, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { Project, Source } from '@hone/core/api';
import { makeCodedClip } from '@hone/demo';
import type { Locator } from 'playwright-core';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { accessibilityFaults } from '../fixtures/accessible.js';
import { TestBrowser } from '../fixtures/browser.js';
import { TestServer } from '../fixtures/server.js';

const CLIP = { width: 640, height: 360, rate: '24', frames: 48, sound: true };
const OTHER_ENCODER = ['-c:v', 'libx264', '-preset', 'ultrafast', '-g', '12', '-f', 'mp4'];
/** Clicks from an empty data folder to footage that plays, at most. */
const MOST_CLICKS = 4;

/** From an empty start to footage of one's own that plays, counted in clicks. */
describe('the first minute', () => {
  let server: TestServer;
  let browser: TestBrowser;
  let shoot: string;
  let clicks: number;
  const homeBefore = process.env['HOME'];

  beforeEach(async () => {
    server = await TestServer.start();
    const home = join(server.folder, 'home');
    process.env['HOME'] = home;
    shoot = join(home, 'shoot');
    await mkdir(shoot, { recursive: true });
    for (const [index, name] of ['first.mp4', 'second.mp4'].entries())
      await makeCodedClip({ ...CLIP, source: index + 1, path: join(shoot, name) });
    await writeFile(join(shoot, 'notes.txt'), 'words');
    browser = await TestBrowser.open(server.url);
    await browser.page.getByText('No project yet').waitFor();
    clicks = 0;
  });

  afterEach(async () => {
    process.env['HOME'] = homeBefore;
    await browser.close();
    await server.stop();
  });

  async function click(target: Locator): Promise<void> {
    await target.click();
    clicks++;
  }

  /** Drops files or folders as the system does, which a page cannot tell from a hand. */
  async function drop(...files: string[]): Promise<void> {
    const session = await browser.page.context().newCDPSession(browser.page);
    const data = { items: [], files, dragOperationsMask: 1 };
    for (const type of ['dragEnter', 'dragOver', 'drop'] as const)
      await session.send('Input.dispatchDragEvent', { type, x: 640, y: 400, data });
  }

  const project = async (): Promise<Project> => {
    const [entry] = await server.get<Project[]>('projects');
    return server.get(`projects/${entry!.id}`);
  };
  const sources = async (): Promise<Source[]> => server.get(`projects/${(await project()).id}/sources`);

  /** Presses play, and waits until both clips were seen. */
  async function playBoth(): Promise<void> {
    await browser.waitForPicture();
    await expect.poll(async () => (await project()).timeline.tracks[0]!.clips.length).toBe(2);
    await click(browser.playButton('Play'));
    await browser.playButton('Stop').waitFor();
    await browser.playButton('Play').waitFor();
    expect(clicks).toBeLessThanOrEqual(MOST_CLICKS);
    const { timeline } = await project();
    expect(timeline.size).toEqual({ width: 640, height: 360 });
    expect(timeline.tracks[0]!.clips.map(({ name, length }) => [name, length])).toEqual([
      ['first.mp4', 48],
      ['second.mp4', 48],
    ]);
    await browser.waitForCode({ source: 2, frame: 47 });
    expect(browser.errors).toEqual([]);
  }

  it('is one click after a folder was dropped, and names what cannot be used', async () => {
    expect(await accessibilityFaults(browser.page)).toEqual([]);
    await drop(shoot);
    await expect.poll(() => browser.page.getByTestId('not-usable').textContent()).toContain('notes.txt');
    await click(browser.page.getByRole('button', { name: 'Close' }));
    await playBoth();
    expect((await project()).name).toBe('shoot');
    expect((await sources()).map(({ folder }) => folder)).toEqual([shoot, shoot]);
  });

  it('is a few clicks by a folder of this machine', async () => {
    const { page } = browser;
    await click(page.getByTestId('choose-folder'));
    await click(page.getByRole('button', { name: `${join(server.folder, 'home')} /` }));
    expect(await accessibilityFaults(page)).toEqual([]);
    await click(page.getByRole('button', { name: 'Add 2 media files' }));
    await playBoth();
    expect((await sources()).map(({ folder }) => folder)).toEqual([shoot, shoot]);
  });

  it('is a few clicks by picking files', async () => {
    const { page } = browser;
    const picking = page.waitForEvent('filechooser');
    await click(page.getByTestId('pick-files'));
    await (await picking).setFiles(['first.mp4', 'second.mp4'].map((name) => join(shoot, name)));
    // The window of the system takes a click of its own.
    clicks++;
    await playBoth();
    expect((await sources()).map(({ folder }) => folder)).toEqual([shoot, shoot]);
  });

  it('asks before it copies files that lie nowhere it knows', async () => {
    const elsewhere = join(server.folder, 'elsewhere');
    await mkdir(elsewhere);
    const paths = ['first.mp4', 'second.mp4'].map((name) => join(elsewhere, name));
    // The same pictures, coded otherwise: no file at home is the same.
    for (const [index, path] of paths.entries())
      await makeCodedClip({ ...CLIP, source: index + 1, path, encoder: OTHER_ENCODER });
    await drop(...paths);
    const { page } = browser;
    await page.getByTestId('copy-files').waitFor();
    expect(await accessibilityFaults(page)).toEqual([]);
    await click(page.getByTestId('copy-files'));
    await playBoth();
    expect((await sources()).every(({ folder }) => folder.includes(join('data', 'media')))).toBe(true);
  });

  it('ends in a list of projects that can be renamed, duplicated, opened and deleted', async () => {
    const { page } = browser;
    await drop(join(shoot, 'first.mp4'));
    await browser.waitForPicture();
    await browser.waitForCode({ source: 1, frame: 0 });
    await server.settle((await project()).id);
    await page.getByRole('button', { name: 'Projects' }).click();
    await page.getByRole('menuitem', { name: 'All projects' }).click();
    const row = page.getByTestId('project');
    await expect.poll(() => row.first().textContent()).toContain('2 s · 640 × 360 · 24 frames/s');
    expect(await row.first().textContent()).toContain('Not played yet');
    await row.getByRole('button', { name: 'Rename' }).click();
    await row.getByLabel('Name').fill('Mill');
    await row.getByRole('button', { name: 'Save name' }).click();
    await row.getByText('Mill', { exact: true }).waitFor();
    await row.getByRole('button', { name: 'Duplicate' }).click();
    await page.getByText('Mill copy').waitFor();
    expect(await accessibilityFaults(page)).toEqual([]);
    await row.filter({ hasText: 'Mill copy' }).getByRole('button', { name: 'Delete …' }).click();
    await page.getByRole('button', { name: 'Delete project for good' }).click();
    await expect.poll(() => row.count()).toBe(1);
    await row.getByRole('button', { name: 'Open', exact: true }).click();
    await browser.waitForPicture();
    await browser.waitForCode({ source: 1, frame: 0 });
    expect(browser.errors).toEqual([]);
  });
});
