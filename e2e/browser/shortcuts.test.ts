import type { Project } from '@hone/core/api';
import { rational } from '@hone/core/time';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessibilityFaults } from '../fixtures/accessible.js';
import { openCutProject, type OpenCutProject } from '../fixtures/open-cut-project.js';

/** Keys of the page Work, changed in their sheet and looked up in what they do. */
describe('shortcuts', () => {
  let opened: OpenCutProject;
  const starts = async (): Promise<number[]> => {
    const { timeline } = await opened.server.get<Project>(`projects/${opened.made.project.id}`);
    return timeline.tracks[0]!.clips.map(({ start }) => start);
  };

  beforeAll(async () => {
    opened = await openCutProject('Shortcuts', [
      ['long24', rational(1), 48],
      ['fast60', rational(1, 2), 48],
      ['pal25', rational(1), 48],
    ]);
  });

  afterAll(() => opened.close());

  it('are those that the user has chosen, kept, and restored', async () => {
    const { page } = opened.browser;
    const key = page.getByTestId('key-split');
    await page.keyboard.press('?');
    await key.click();
    await page.keyboard.press('p');
    const problem = page.getByTestId('key-problem');
    await expect.poll(() => problem.innerText()).toContain('P is the key of “Add a marker');
    await key.click();
    await page.keyboard.press('k');
    await expect.poll(() => problem.innerText()).toContain('K cannot be changed');
    await key.click();
    await page.keyboard.press('s');
    await expect.poll(() => key.innerText()).toBe('S');
    expect(await accessibilityFaults(page)).toEqual([]);
    await page.keyboard.press('Escape');
    await page.getByRole('heading', { name: 'Keyboard shortcuts' }).waitFor({ state: 'detached' });
    await opened.browser.goTo(60, 24);
    await page.keyboard.press('Escape');
    await page.keyboard.press('s');
    await expect.poll(starts).toEqual([0, 48, 60, 96]);
    await page.keyboard.press('Control+z');
    await expect.poll(starts).toEqual([0, 48, 96]);
    await expect.poll(() => page.getByRole('button', { name: 'Split' }).getAttribute('title')).toBe('S');
    await page.reload();
    await opened.browser.waitForPicture();
    await page.keyboard.press('?');
    await expect.poll(() => key.innerText()).toBe('S');
    await page.getByRole('button', { name: 'Restore Hone’s keys' }).click();
    await expect.poll(() => key.innerText()).toBe('H');
    await page.keyboard.press('Escape');
    await page.getByRole('heading', { name: 'Keyboard shortcuts' }).waitFor({ state: 'detached' });
  });
});
