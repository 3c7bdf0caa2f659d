import type { LightCopy, MachineSettings, Project, Source } from '@hone/core/api';
import type { FindingKind } from '@hone/core/findings';
import {
  driveFigures,
  LOWEST_CEILING,
  SIMULATED_DRIVES,
  SIMULATED_RIGS,
  type Rig,
  type SimulatedDrive,
} from '@hone/core/machine';
import { rational } from '@hone/core/time';
import type { Timeline } from '@hone/core/timeline';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openCutProject, type OpenCutProject } from '../fixtures/open-cut-project.js';

/** A machine of given figures, quick enough for everything here. */
function quickRig(): Rig {
  const base = SIMULATED_RIGS.find(({ id }) => id === 'simulated-tower')!;
  return { ...base, id: 'own', name: 'This machine', simulated: false, drives: [] };
}

/** Levers of the board, copies made and deleted in both places, and findings that this machine can show. */
describe('levers', () => {
  let opened: OpenCutProject;
  const project = (): Promise<Project> => opened.server.get(`projects/${opened.made.project.id}`);
  const copies = (): Promise<LightCopy[]> => opened.server.get(`projects/${opened.made.project.id}/copies`);
  const plate = (): Promise<string | null> => opened.browser.page.getByTestId('plate').textContent();
  const finding = (kind: FindingKind) =>
    opened.browser.page.locator(`hone-finding-list [data-finding="${kind}"] .sentence`);

  beforeAll(async () => {
    opened = await openCutProject('Levers', [
      ['long24', rational(1), 48],
      ['fast60', rational(1, 2), 48],
    ]);
    await opened.server.call('PUT', 'rigs/own', quickRig());
    await opened.browser.reload();
  });

  afterAll(() => opened.close());

  it('set how many pixels the picture has at rest, and leave those of playing', async () => {
    const { page } = opened.browser;
    const scale = page.getByTestId('rest-scale');
    await scale.getByText('1:4', { exact: true }).click();
    await expect.poll(() => opened.browser.pixels()).toEqual({ width: 160, height: 90 });
    await scale.getByText('1:1', { exact: true }).click();
    await expect.poll(() => opened.browser.pixels()).toEqual({ width: 640, height: 360 });
    expect((await project()).tuning).toMatchObject({ restScale: 1, playScale: 4 });
  });

  it('say what each position brings, as predicted and then as measured', async () => {
    const gains = (): Promise<string | null> => opened.browser.page.getByTestId('scale-gains').textContent();
    await expect
      .poll(gains, { timeout: 60_000 })
      .toBe('1:1 plays · 1:2 plays · 1:4 plays · 1:8 plays · 1:16 plays');
    await opened.browser.page.keyboard.press('Home');
    await opened.browser.playThrough();
    await expect.poll(gains, { timeout: 60_000 }).toMatch(/1:2 plays · 1:4 [^·]+, measured · 1:8 plays/);
  }, 120_000);

  it('play from copies or from originals by the switch on the board', async () => {
    const { page } = opened.browser;
    await page.getByRole('button', { name: 'Make a copy of long24.mp4' }).click();
    await expect
      .poll(async () => (await copies()).map(({ state }) => state), { timeout: 30_000 })
      .toEqual(['ready']);
    const playing = (): Promise<string> => opened.browser.plateWhilePlaying('160 × 90');
    expect(await playing()).toContain('light copy 160 × 90');
    // At rest it is the original, and the plate tells the pixels of the file that is seen.
    await expect.poll(plate).toContain('preview 640 × 360 of 640 × 360 · original 640 × 360');
    const toggle = page.getByTestId('light-copies').getByRole('switch');
    await toggle.click();
    expect((await project()).tuning.lightCopies).toBe(false);
    expect(await playing()).toContain('original 640 × 360');
    await toggle.click();
    expect(await playing()).toContain('light copy');
  });

  it('let go of a copy on the board', async () => {
    await opened.browser.page.getByRole('button', { name: 'Delete the copy of long24.mp4' }).click();
    await expect.poll(copies).toEqual([]);
    expect(await opened.browser.plateWhilePlaying('160 × 90')).toContain('original');
  });

  it('make all copies by one button, with time, size and room before, and keep those of another size in view', async () => {
    const { page } = opened.browser;
    await page.getByTestId('ask-all').click();
    await page.getByText(/^About .* free$/).waitFor();
    await page.getByTestId('make-all').click();
    const states = async (): Promise<string[]> =>
      (await copies()).map(({ divisor, state }) => `1:${divisor} ${state}`);
    await expect.poll(states, { timeout: 60_000 }).toEqual(['1:4 ready', '1:4 ready']);
    // The preview scale neither hides them nor offers others.
    await page.getByTestId('play-scale').getByText('1:1', { exact: true }).click();
    const board = page.getByTestId('copies');
    await expect.poll(() => board.getByRole('button', { name: 'Delete the copy of' }).count()).toBe(2);
    expect(await page.getByTestId('ask-all').count()).toBe(0);
    await page.getByTestId('play-scale').getByText('1:4', { exact: true }).click();
    await page.getByTestId('copy-scale').getByText('1:2', { exact: true }).click();
    await expect.poll(async () => (await project()).tuning.copyScale).toBe(2);
    await opened.server.makeCopies(opened.made.project.id, [opened.made.ids.long24], 2);
    const other = page.getByTestId('other-copy');
    await expect.poll(() => other.textContent()).toContain('160 × 90');
    for (const remove of [other, board.locator('tr', { hasText: 'mp4' }).first(), board.locator('tr').last()])
      await remove.getByRole('button', { name: 'Delete the copy' }).click();
    await expect.poll(copies).toEqual([]);
    await page.getByTestId('copy-scale').getByText('1:4', { exact: true }).click();
  });

  it('make copies of a selection of sources, and delete them there', async () => {
    const { page } = opened.browser;
    await page.getByRole('link', { name: 'Sources', exact: true }).click();
    for (const name of ['long24', 'fast60'])
      await page.getByRole('checkbox', { name: `Choose ${name}.mp4` }).check();
    const selection = page.getByTestId('selection');
    await selection.getByRole('button', { name: /^Make copies of 2 clips/ }).click();
    await expect
      .poll(async () => (await copies()).map(({ state }) => state), { timeout: 60_000 })
      .toEqual(['ready', 'ready']);
    await selection.getByRole('button', { name: /^Delete 2 copies · frees/ }).click();
    await expect.poll(copies).toEqual([]);
    await page.getByRole('button', { name: 'Choose none' }).click();
    await page.getByRole('link', { name: 'Work', exact: true }).click();
    await opened.browser.waitForPicture();
  });

  it('name a soft picture with its pixels, where it plays', async () => {
    const { page } = opened.browser;
    await page.getByTestId('play-scale').getByText('1:8', { exact: true }).click();
    await expect.poll(() => finding('soft-picture').textContent()).toContain('80 × 46');
    await page.getByTestId('play-scale').getByText('1:1', { exact: true }).click();
    await finding('soft-picture').waitFor({ state: 'detached' });
    await finding('real-time').waitFor();
  });

  it('name clips that nobody sees, and not those of a track that is disabled', async () => {
    const { page } = opened.browser;
    const { timeline } = await project();
    const [picture] = timeline.tracks;
    const over = { ...picture!, id: 'over', name: 'Over' };
    const clips = picture!.clips.map((clip) => ({ ...clip, id: `over-${clip.id}` }));
    const covered: Timeline = {
      ...timeline,
      tracks: [picture!, { ...over, clips }, ...timeline.tracks.slice(1)],
    };
    await opened.server.setTimeline(opened.made.project.id, covered);
    await opened.browser.reload();
    await expect.poll(() => finding('occluded-clips').textContent()).toContain('2 clips lie under others');
    await page.getByTestId('edit-bar').getByRole('button', { name: 'Tracks' }).click();
    await page.getByRole('menuitem', { name: 'Disable “Over”' }).click();
    await expect.poll(async () => (await project()).timeline.tracks[1]!.enabled).toBe(false);
    await finding('occluded-clips').waitFor({ state: 'detached' });
    await page.getByTestId('edit-bar').getByRole('button', { name: 'Undo' }).click();
    await finding('occluded-clips').waitFor();
  });

  /** Opens the page with a rig whose media drive differs from a fast one; the original rig comes back afterwards. */
  async function withDrive(
    change: Partial<SimulatedDrive>,
    check: (name: string) => Promise<void>,
  ): Promise<void> {
    const { browser, made, server } = opened;
    const [source] = await server.get<Source[]>(`projects/${made.project.id}/sources`);
    const drive = driveFigures({ ...SIMULATED_DRIVES.at(-1)!, name: source!.drive, ...change });
    await server.call('PUT', 'rigs/own', { ...quickRig(), drives: [drive] });
    await browser.reload();
    await check(source!.drive);
    await server.call('PUT', 'rigs/own', quickRig());
    await browser.reload();
    await finding('real-time').waitFor();
  }

  it('name a drive that cannot feed the picture', async () => {
    await withDrive({ readBytesPerSecond: 3000 }, (name) =>
      expect.poll(() => finding('drive').textContent()).toContain(`${name} cannot feed the picture`),
    );
    expect(await finding('drive').count()).toBe(0);
  });

  it('name a slow start on a drive that answers late, where the rest plays', async () => {
    await withDrive({ latencyMs: 1200 }, async () => {
      await finding('slow-start').waitFor();
      expect(await finding('drive').count()).toBe(0);
    });
    expect(await finding('slow-start').count()).toBe(0);
  });

  it('name a memory ceiling that holds too few pictures, until it is raised', async () => {
    const { browser, made, server } = opened;
    const { timeline, tuning } = await project();
    const [picture] = timeline.tracks;
    const translucent = [{ id: 'thin', kind: 'transform', enabled: true, values: { opacity: 60 } }];
    const clips = picture!.clips.map((clip) => ({ ...clip, id: `thin-${clip.id}`, effects: translucent }));
    const layered: Timeline = {
      ...timeline,
      size: { width: 3840, height: 2160 },
      tracks: [picture!, { ...picture!, id: 'thin', name: 'Thin', clips }],
    };
    await server.setTimeline(made.project.id, layered);
    await server.call('PUT', `projects/${made.project.id}/tuning`, { ...tuning, playScale: 1 });
    const before = await server.get<MachineSettings>('machine/settings');
    await server.call('PUT', 'machine/settings', { memoryCeilingBytes: LOWEST_CEILING });
    await browser.reload();
    await finding('memory').waitFor();
    await server.call('PUT', 'machine/settings', { memoryCeilingBytes: before.memoryCeilingBytes });
    await browser.reload();
    await finding('real-time').or(finding('cores')).first().waitFor();
    expect(await finding('memory').count()).toBe(0);
  });

  it('have met no error on the way', () => expect(opened.browser.errors).toEqual([]));
});
