import { join } from 'node:path';
import type { Project, RunRecord, ScrubRecord, Source } from '@hone/core/api';
import { makeCodedClip } from '@hone/demo';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessibilityFaults } from '../fixtures/accessible.js';
import { TestBrowser } from '../fixtures/browser.js';
import { TestServer } from '../fixtures/server.js';
import { makeStills, makeUnusual, UNUSUAL, type UnusualName } from '../fixtures/unusual-clips.js';

const LONG = ['-c:v', 'libx264', '-g', '48', '-bf', '2', '-b:v', '24M', '-f', 'mp4'];

/** Sources of many kinds, found, ordered, played alone, from drives that are not there. */
describe('the page Sources', () => {
  let server: TestServer;
  let browser: TestBrowser;
  let project: Project;
  let sources: Source[];
  const idOf = (name: string): string => sources.find((source) => source.name === name)!.id;
  const found = (): Promise<string | null> => browser.page.getByTestId('found').textContent();
  const condition = (kind: string) => browser.page.locator(`[data-condition="${kind}"]`);
  const runs = (): Promise<RunRecord[]> => server.get(`projects/${project.id}/runs`);
  const toPage = async (name: string): Promise<void> => {
    await browser.page.getByRole('link', { name, exact: true }).click();
  };

  beforeAll(async () => {
    server = await TestServer.start();
    const body = { name: 'Many', size: { width: 1280, height: 720 }, rate: { num: 24, den: 1 } };
    project = (await server.call<Project>('POST', 'projects', body)).body;
    const long = join(server.footage, 'long.mp4');
    await makeCodedClip({
      source: 1,
      width: 1920,
      height: 1080,
      rate: '24',
      frames: 96,
      sound: true,
      path: long,
      encoder: LONG,
    });
    const paths = [long];
    for (const name of Object.keys(UNUSUAL) as UnusualName[])
      paths.push(await makeUnusual(name, server.footage));
    await server.addSources(project.id, paths);
    const stills = await makeStills(server.footage);
    const count = { first: 100, count: 30, rate: { num: 24, den: 1 } };
    const input = { path: `${stills.replaceAll('%', '%%')}/mill_%04d.png`, stills: count };
    await server.services.importer.addInput(project.id, input, 'stills');
    await server.settle(project.id);
    sources = await server.get(`projects/${project.id}/sources`);
    browser = await TestBrowser.open(`${server.url}/sources`);
    await browser.page.getByTestId('sources').waitFor();
  });

  afterAll(async () => {
    await browser.close();
    await server.stop();
  });

  it('lists all with their facts, and is accessible', async () => {
    expect(await found()).toBe('9 sources');
    const table = browser.page.getByTestId('sources');
    await expect.poll(() => table.getByRole('row').count()).toBe(10);
    const row = table.getByRole('row').filter({ hasText: 'vc3.mxf' });
    expect(await row.textContent()).toMatch(/1920 × 1080.*25 frames\/s.*VC-3.*intra/);
    expect(await accessibilityFaults(browser.page)).toEqual([]);
  });

  it('sorts by any column, both ways, and shows those that are chosen', async () => {
    const { page } = browser;
    const first = (): Promise<string | null> =>
      page.getByTestId('sources').getByRole('row').nth(1).textContent();
    await page.getByRole('button', { name: 'Average' }).click();
    await page.getByRole('button', { name: 'Average' }).click();
    await expect.poll(first).toContain('uncompressed.mov');
    await page.getByRole('button', { name: 'Columns' }).click();
    await page.getByRole('menuitemcheckbox', { name: 'Samples' }).click();
    await page.keyboard.press('Escape');
    await page.getByText('4:2:2, 10 bits').first().waitFor();
  });

  it('selects a range with Shift and one more with Ctrl, by box or by name', async () => {
    const { page } = browser;
    const boxes = page.getByTestId('sources').getByRole('checkbox', { name: /^Choose (?!all)/ });
    const names = page.getByTestId('sources').locator('button.name');
    const title = page.getByTestId('selection').locator('b').first();
    await boxes.nth(1).click();
    await names.nth(3).click({ modifiers: ['Shift'] });
    await expect.poll(() => title.textContent()).toBe('3 sources chosen');
    await names.nth(5).click({ modifiers: ['Control'] });
    await expect.poll(() => title.textContent()).toBe('4 sources chosen');
    await boxes.nth(7).click({ modifiers: ['Shift'] });
    await expect.poll(() => title.textContent()).toBe('6 sources chosen');
    await names.nth(2).click({ modifiers: ['Control'] });
    await expect.poll(() => title.textContent()).toBe('5 sources chosen');
    await page.getByRole('button', { name: 'Choose none' }).click();
  });

  it('cuts nothing off in columns that have room', async () => {
    const cut = await browser.page
      .getByTestId('sources')
      .locator('[role=cell]')
      .evaluateAll((cells) =>
        cells.filter((cell) => cell.scrollWidth > cell.clientWidth + 1).map((cell) => cell.textContent),
      );
    expect(cut).toEqual([]);
  });

  it('finds by conditions that combine and can be turned around', async () => {
    await condition('larger').click();
    await expect.poll(found).toBe('3 of 9 sources');
    await condition('longGop').click();
    await expect.poll(found).toBe('1 of 9 sources');
    await condition('longGop').click();
    await expect.poll(found).toBe('2 of 9 sources');
    await condition('longGop').click();
    await condition('larger').click();
    await condition('larger').click();
    await expect.poll(found).toBe('9 sources');
    await condition('interlaced').click();
    await expect.poll(found).toBe('1 of 9 sources');
    await browser.page.getByRole('button', { name: 'Show all' }).click();
  });

  it('keeps a set of conditions under a name', async () => {
    const { page } = browser;
    await condition('server').click();
    await page.getByLabel('Name of this filter').fill('For the server');
    await page.getByRole('button', { name: 'Save filter' }).click();
    await page.getByRole('button', { name: 'Show all' }).click();
    await expect.poll(found).toBe('9 sources');
    await page.reload();
    await page.getByRole('button', { name: 'Saved filters' }).click();
    await page.getByRole('menuitem', { name: 'For the server', exact: true }).click();
    await expect.poll(found).toBe('6 of 9 sources');
  });

  it('does to all that are found what can be done to one', async () => {
    const { page } = browser;
    await page.getByRole('checkbox', { name: 'Choose all that are found' }).check();
    await page.getByText('6 sources chosen').waitFor();
    await page.getByLabel('Bin to move to').fill('Odd/Server');
    await page.getByRole('button', { name: 'Move to bin' }).click();
    await page.getByLabel('Tag', { exact: true }).fill('slow');
    await page.getByRole('button', { name: 'Add tag' }).click();
    await expect
      .poll(async () => {
        const now = await server.get<Source[]>(`projects/${project.id}/sources`);
        return now.filter(({ bin, tags }) => bin === 'Odd/Server' && tags.includes('slow')).length;
      })
      .toBe(6);
    await page.getByRole('button', { name: 'Show all' }).click();
    await page
      .getByRole('navigation', { name: 'Bins' })
      .getByRole('button', { name: /Odd\/Server/ })
      .click();
    await expect.poll(found).toBe('6 of 9 sources');
    await page.getByRole('button', { name: 'Choose none' }).click();
    await page.getByRole('button', { name: 'All bins' }).click();
  });

  it('shows pictures, and the details of one', async () => {
    const { page } = browser;
    await page.getByRole('radio', { name: 'Pictures' }).click();
    await expect.poll(() => page.locator('hone-source-grid img').count()).toBeGreaterThan(5);
    await page.getByRole('button', { name: 'long.mp4' }).click();
    const detail = page.getByRole('complementary', { name: 'Details of the source' });
    await detail.getByText('long-GOP: groups of 48 frames').waitFor();
    await detail.getByText(/frames to decode on average, 48 at most/).waitFor();
    expect(await accessibilityFaults(page)).toEqual([]);
    await page.getByRole('radio', { name: 'Table' }).click();
  });

  it('plays a source alone, scrubs it and measures both', async () => {
    const { page } = browser;
    await page.getByTestId('play-alone').click();
    await page.getByTestId('subject').waitFor();
    await browser.waitForCode({ frame: 0, source: 1 });
    await browser.playThrough();
    const [run] = await runs();
    expect(run!.facts).toMatchObject({ subjectId: idOf('long.mp4'), serverDecoded: [] });
    expect(run!.summary.wanted).toBe(96);
    const box = (await page.getByTestId('timeline').boundingBox())!;
    await page.mouse.move(box.x + 200, box.y + 10);
    await page.mouse.down();
    for (let step = 1; step <= 12; step++) {
      await page.mouse.move(box.x + 200 + 40 * step, box.y + 10);
      await page.waitForTimeout(150);
    }
    await page.mouse.up();
    await expect
      .poll(
        async () =>
          (await server.get<ScrubRecord[]>(`projects/${project.id}/scrubs`))[0]?.facts.pictures ?? 0,
      )
      .toBeGreaterThanOrEqual(3);
    const [scrub] = await server.get<ScrubRecord[]>(`projects/${project.id}/scrubs`);
    expect(scrub!.facts.worstTwentiethMs).toBeGreaterThanOrEqual(scrub!.facts.medianMs);
  });

  it.each([...(Object.keys(UNUSUAL) as UnusualName[]), 'stills' as const])(
    'plays %s, frame by frame the right one, and names who decodes it',
    async (name) => {
      const { page } = browser;
      const file = name === 'stills' ? 'stills' : UNUSUAL[name].file;
      const frames = name === 'stills' ? 30 : 50;
      await toPage('Sources');
      await page.getByRole('button', { name: file, exact: true }).click();
      await page.getByTestId('play-alone').click();
      await browser.waitForCode({ frame: 0, source: 5 });
      for (const frame of [17, 3, frames - 1]) {
        await browser.goTo(frame, name === 'stills' ? 24 : 25);
        await browser.waitForCode({ frame, source: 5 });
      }
      const plate = await page.getByTestId('plate').textContent();
      // Whether a browser decodes 10-bit H.264 or HEVC depends on the machine; all others only ffmpeg does.
      if (name === 'hevc10' || name === 'h264422')
        expect(plate).toMatch(/original \d+ × \d+, decoded by the (browser|server)/);
      else expect(plate).toMatch(/original \d+ × \d+, decoded by the server/);
    },
  );

  it('measures the server’s decoder as its own', async () => {
    await browser.page.getByTestId('play-scale').getByText('1:4', { exact: true }).click();
    await browser.playThrough();
    const [run] = await runs();
    expect(run!.facts.serverDecoded).toEqual([run!.facts.subjectId]);
    expect(run!.summary.stageMs.decode).toBeGreaterThan(0);
    expect(run!.summary.shown).toBeGreaterThan(0);
  });

  it('really waits for a simulated drive, says so, and goes back', async () => {
    const { page } = browser;
    await toPage('Sources');
    await page.getByRole('button', { name: UNUSUAL.uncompressed.file, exact: true }).click();
    await page.getByTestId('play-alone').click();
    await browser.waitForCode({ frame: 0, source: 5 });
    await page.keyboard.press('Home');
    await browser.playThrough();
    const before = (await runs())[0]!;
    await toPage('Rig');
    await page.getByTestId('drive-choice').click();
    await page.getByRole('option', { name: /Rotating drive on USB, 95 % full/ }).click();
    await page.getByTestId('simulated').getByText('95 % full').waitFor();
    expect(await accessibilityFaults(page)).toEqual([]);
    await toPage('Work');
    await browser.waitForCode({ frame: 49, source: 5 });
    await page.keyboard.press('Home');
    await browser.waitForCode({ frame: 0, source: 5 });
    await browser.playThrough();
    const slow = (await runs())[0]!;
    expect(slow.facts.driveId).toBe('usb-rotating-full');
    // 138 MB/s are wanted of a drive that gives 38.
    expect(slow.summary.dropped).toBeGreaterThan(10);
    expect(slow.summary.stageMs.read).toBeGreaterThan(5 * before.summary.stageMs.read);
    await page.getByRole('button', { name: 'End the simulation' }).click();
    await page.getByTestId('simulated').waitFor({ state: 'detached' });
    expect(await server.get('simulation')).toEqual({ driveId: null });
    await page.getByRole('button', { name: 'Back to the timeline' }).click();
    await page.getByText('Nothing to play yet').waitFor();
  });

  it('opens a run, leads to its worst moments, keeps notes, and compares two', async () => {
    const { page } = browser;
    await toPage('Runs');
    const [slow, before] = await runs();
    const moments = page.getByTestId('moments').getByRole('button');
    await page.getByTestId('runs').getByRole('button', { name: 'Open' }).first().click();
    await expect.poll(() => moments.count()).toBeGreaterThan(0);
    expect(await moments.first().textContent()).toMatch(
      /\d\d:\d\d:\d\d:\d\d · \d+ frames? dropped, froze for/,
    );
    // However much is said of the run that is open, the others can be reached.
    const size = page.viewportSize()!;
    await page.setViewportSize({ ...size, height: 500 });
    await page.getByTestId('runs').getByRole('button', { name: 'Open' }).nth(1).click();
    await page.getByTestId('runs').getByRole('button', { name: 'Open' }).first().click();
    await page.setViewportSize(size);
    await page.getByLabel('Notes on this run').fill('From the slow drive');
    await page.getByLabel('Notes on this run').blur();
    await expect.poll(async () => (await runs())[0]!.notes).toBe('From the slow drive');
    expect(await accessibilityFaults(page)).toEqual([]);
    await page.getByTestId('runs').getByRole('button', { name: 'Compare' }).nth(1).click();
    await page.getByText('A is the run of').waitFor();
    const csv = await (await fetch(`${server.url}/api/runs/${slow!.id}/report.csv`)).text();
    const lines = csv.trim().split('\r\n');
    expect(lines[0]).toMatch(/^frame,due,shown,read,decode,scale/);
    expect(lines).toHaveLength(slow!.summary.wanted + 1);
    const dropped = lines.slice(1).filter((line) => line.split(',')[2] === '').length;
    expect(dropped).toBe(slow!.summary.dropped);
    const report = await server.get<{ frames: { shown: number | null }[]; samples: { cores: number[] }[] }>(
      `runs/${before!.id}/report.json`,
    );
    expect(report.frames.filter(({ shown }) => shown !== null)).toHaveLength(before!.summary.shown);
    expect(report.samples.length).toBeGreaterThan(2);
    await page.getByTestId('compare').click();
    await moments.first().click();
    await page.getByTestId('subject').waitFor();
  });

  it('has met no error on the way', () => expect(browser.errors).toEqual([]));
});
