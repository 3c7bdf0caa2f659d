import { rational } from '@hone/core/time';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessibilityFaults } from '../fixtures/accessible.js';
import { openCutProject, type OpenCutProject } from '../fixtures/open-cut-project.js';
import { rigOf } from '../fixtures/rigs.js';

const PAGES = ['Work', 'Sources', 'Rig', 'Runs', 'Export', 'All projects'] as const;

/** Every page with something on it, in both themes, against WCAG 2.2 AA. */
describe('accessibility', () => {
  let opened: OpenCutProject;

  beforeAll(async () => {
    opened = await openCutProject('Themes', [
      ['long24', rational(1), 48],
      ['fast60', rational(1, 2), 48],
    ]);
    await opened.server.call('PUT', 'rigs/own', rigOf(50));
    await opened.browser.reload();
    await opened.browser.playThrough();
  });

  afterAll(() => opened.close());

  async function open(name: (typeof PAGES)[number]): Promise<void> {
    const { page } = opened.browser;
    if (name === 'All projects') {
      await page.getByRole('button', { name: 'Projects' }).click();
      await page.getByRole('menuitem', { name }).click();
      await page.getByRole('heading', { name: 'Projects' }).waitFor();
    } else {
      await page.getByRole('link', { name, exact: true }).click();
      await page.waitForURL(new RegExp(`/${name.toLowerCase()}$`));
    }
  }

  for (const theme of ['Light', 'Dark'] as const)
    it.each(PAGES)(`of the page %s, ${theme.toLowerCase()}`, async (name) => {
      const { page } = opened.browser;
      const isOn = await page.locator('html.light').count();
      if ((theme === 'Light') !== isOn > 0)
        await page.getByRole('button', { name: theme, exact: true }).click();
      await open(name);
      await page.waitForTimeout(500);
      expect(await accessibilityFaults(page)).toEqual([]);
    });
});
