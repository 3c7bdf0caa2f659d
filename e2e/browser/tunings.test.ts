import { readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { Project } from '@hone/core/api';
import type { SavedTuning } from '@hone/core/levers';
import { rational } from '@hone/core/time';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessibilityFaults } from '../fixtures/accessible.js';
import { openCutProject, type OpenCutProject } from '../fixtures/open-cut-project.js';

/** Lever positions under names: saved, switched, compared, copied, and taken to a file and back. */
describe('tunings', () => {
  let opened: OpenCutProject;
  const page = () => opened.browser.page;
  const saved = (): Promise<SavedTuning[]> => opened.server.get('tunings');
  const names = async () => (await saved()).map(({ name }) => name);
  const tuning = async () => (await opened.server.get<Project>(`projects/${opened.made.project.id}`)).tuning;
  const rows = () => page().getByTestId('tunings').getByRole('row');
  const save = async (name: string): Promise<void> => {
    await page().getByTestId('tuning-name').fill(name);
    await page().getByRole('button', { name: 'Save tuning' }).click();
    await rows().filter({ hasText: name }).first().waitFor();
  };
  const more = async (name: string, act: string): Promise<void> => {
    await page()
      .getByRole('button', { name: `More of ${name}`, exact: true })
      .click();
    await page().getByRole('menuitem', { name: act }).click();
  };

  beforeAll(async () => {
    opened = await openCutProject('Tunings', [['long24', rational(1), 48]]);
  });

  afterAll(() => opened.close());

  it('are saved, and switch all levers at once', async () => {
    await save('Sharp');
    await page().getByTestId('play-scale').getByRole('radio', { name: '1:16' }).click();
    await page().getByTestId('light-copies').getByRole('switch').click();
    await page().getByTestId('listen-only').getByRole('switch').click();
    await expect.poll(tuning).toMatchObject({ playScale: 16, lightCopies: false, listenOnly: true });
    await save('Rough');
    await page().getByRole('button', { name: 'Set Sharp' }).click();
    await expect.poll(tuning).toMatchObject({ playScale: 4, lightCopies: true });
    await expect.poll(async () => (await tuning()).listenOnly).toBeUndefined();
    expect(await page().getByRole('button', { name: 'Sharp is set' }).isDisabled()).toBe(true);
    expect(await accessibilityFaults(page())).toEqual([]);
  });

  it('are compared by what is predicted of them, and then by what was measured', async () => {
    for (const name of ['Sharp', 'Rough'])
      await expect
        .poll(() => rows().filter({ hasText: name }).innerText(), { timeout: 60_000 })
        .toMatch(/predicted: (plays|[\d.]+ frames\/s)/);
    await opened.browser.playThrough();
    await expect
      .poll(() => rows().filter({ hasText: 'Sharp' }).innerText())
      .toMatch(/\d+ of 48 frames dropped/);
    await expect.poll(() => rows().filter({ hasText: 'Rough' }).innerText()).toContain('predicted: ');
  });

  it('are copied, saved to a file, deleted, and opened again', async () => {
    await more('Rough', 'Duplicate');
    await expect.poll(names).toEqual(['Sharp', 'Rough', 'Rough 2']);
    const download = page().waitForEvent('download');
    await more('Rough', 'Save to a file');
    const path = join(opened.server.folder, 'rough.json');
    await (await download).saveAs(path);
    expect(JSON.parse(await readFile(path, 'utf8'))).toMatchObject({
      name: 'Rough',
      tuning: { playScale: 16 },
    });
    await more('Rough', 'Delete');
    await expect.poll(names).toEqual(['Sharp', 'Rough 2']);
    await page().getByTestId('tuning-file').setInputFiles(path);
    await expect.poll(names).toEqual(['Sharp', 'Rough 2', 'Rough']);
    await opened.browser.reload();
    await rows().filter({ hasText: 'Rough 2' }).waitFor();
  });

  it('say what is wrong with a file that is none, and lose nothing', async () => {
    const path = join(opened.server.folder, 'wrong.json');
    await writeFile(path, '{"name": "Wrong", "tuning": {"playScale": 3}}');
    await page().getByTestId('tuning-file').setInputFiles(path);
    await page().getByText('"wrong.json" is not a tuning.').waitFor();
    expect(await names()).toEqual(['Sharp', 'Rough 2', 'Rough']);
    expect(opened.browser.errors).toEqual([]);
  });
});
