import type { Project } from '@hone/core/api';
import type { Rig } from '@hone/core/machine';
import { rational } from '@hone/core/time';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { effectOf } from '../fixtures/effect-cases.js';
import { openCutProject, type OpenCutProject } from '../fixtures/open-cut-project.js';
import { rigOf } from '../fixtures/rigs.js';

/** A machine for which a blur costs so many times as much. */
function blurringRig(factor: number): Rig {
  const rig = rigOf(0.1, 8);
  const kernels = rig.kernels.map((kernel) => {
    const { low, value, high } = kernel.msPerMegapixel;
    const figure = {
      ...kernel.msPerMegapixel,
      low: factor * low,
      value: factor * value,
      high: factor * high,
    };
    return kernel.kernel === 'blur' ? { ...kernel, msPerMegapixel: figure } : kernel;
  });
  return { ...rig, kernels };
}

/** The preview scale that Hone sets by itself. */
describe('the automatic preview scale', () => {
  let opened: OpenCutProject;
  const tuning = async () => (await opened.server.get<Project>(`projects/${opened.made.project.id}`)).tuning;
  const toggle = () => opened.browser.page.getByTestId('auto-scale').getByRole('switch');
  const playOn = async (rig: Rig): Promise<void> => {
    await opened.server.call('PUT', 'rigs/own', rig);
    await opened.browser.reload();
    await opened.browser.waitForPrediction();
  };

  beforeAll(async () => {
    opened = await openCutProject('Scale', [['long24', rational(1), 48]]);
    const { server, made } = opened;
    const tracks = made.timeline.tracks.map((track) =>
      track.kind === 'picture'
        ? {
            ...track,
            clips: track.clips.map((clip) => ({ ...clip, effects: [effectOf('blur', [{ radius: 1 }])] })),
          }
        : track,
    );
    await server.setTimeline(made.project.id, { ...made.timeline, tracks });
    await playOn(blurringRig(1));
  });

  afterAll(() => opened.close());

  it('goes to the sharpest one that plays on this machine', async () => {
    expect(await tuning()).toMatchObject({ playScale: 4 });
    await toggle().click();
    await expect.poll(async () => (await tuning()).playScale, { timeout: 20_000 }).toBe(1);
    expect(await tuning()).toMatchObject({ autoScale: true });
  });

  it('follows the machine, and is lower where effects take longer', async () => {
    await playOn(blurringRig(300));
    await expect.poll(async () => (await tuning()).playScale, { timeout: 20_000 }).toBeGreaterThan(1);
    expect(await tuning()).toMatchObject({ autoScale: true });
  });

  it('ends when a scale is selected', async () => {
    await opened.browser.page.getByTestId('play-scale').getByRole('radio', { name: '1:16' }).click();
    await expect.poll(tuning).toMatchObject({ playScale: 16 });
    await expect.poll(async () => (await tuning()).autoScale).toBeUndefined();
    expect(await toggle().getAttribute('aria-checked')).toBe('false');
    expect(opened.browser.errors).toEqual([]);
  });
});
