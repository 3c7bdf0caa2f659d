import { truncate } from 'node:fs/promises';
import { join } from 'node:path';
import type { Job, Project, Rigs } from '@hone/core/api';
import { makeCodedClip } from '@hone/demo';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { TestBrowser } from '../fixtures/browser.js';
import { TestServer } from '../fixtures/server.js';

/** So large that its fingerprint is not ready when the machine is measured; behind the clip is a hole in the file. */
const LARGE_BYTES = 12 * 2 ** 30;

/** On a machine that is not measured yet, and measures itself. */
describe('the first diagnosis', () => {
  let server: TestServer;
  let browser: TestBrowser;
  let project: Project;

  beforeAll(async () => {
    server = await TestServer.start({}, { HONE_MEASURE: '' });
    const body = { name: 'First', size: { width: 1280, height: 720 }, rate: { num: 24, den: 1 } };
    ({ body: project } = await server.call<Project>('POST', 'projects', body));
    const path = join(server.footage, 'first.mp4');
    await makeCodedClip({ source: 1, width: 1280, height: 720, rate: '24', frames: 96, path });
    await truncate(path, LARGE_BYTES);
    await server.addSources(project.id, [path]);
    browser = await TestBrowser.open(server.url);
  });

  afterAll(async () => {
    await browser.close();
    await server.stop();
  });

  const fingerprint = async (): Promise<Job> =>
    (await server.get<Job[]>(`projects/${project.id}/jobs`)).find(({ kind }) => kind === 'hash')!;

  it('rests on a trial of the sources of the timeline, before the machine is measured', async () => {
    const { page } = browser;
    await page.getByRole('link', { name: 'Sources', exact: true }).click();
    await page.getByRole('checkbox', { name: /first/ }).check();
    await page.getByRole('button', { name: 'Put on timeline' }).click();
    await page.getByRole('link', { name: 'Work', exact: true }).click();
    const rough = page.getByTestId('rough');
    await rough.filter({ hasText: 'its decoders were tried for a moment' }).waitFor();
    expect(await page.getByTestId('verdict').textContent()).toMatch(/frames\/s/);
    expect((await server.get<Rigs>('rigs')).own).toBeNull();
  });

  it('is refined by a measurement that does not wait for fingerprints, and holds them', async () => {
    const { page } = browser;
    await page.locator('hone-background-work').getByText('Measuring').waitFor();
    const before = await fingerprint();
    // It may not even have begun.
    expect(['running', 'waiting']).toContain(before.state);
    await page.waitForTimeout(1000);
    expect((await fingerprint()).progress).toBe(before.progress);
    await page.getByTestId('rough').waitFor({ state: 'detached', timeout: 110_000 });
    expect((await server.get<Rigs>('rigs')).own).not.toBeNull();
    // The fingerprint goes on afterwards.
    await expect
      .poll(async () => (await fingerprint()).progress, { timeout: 20_000 })
      .toBeGreaterThan(before.progress);
    expect(browser.errors).toEqual([]);
  }, 150_000);
});
