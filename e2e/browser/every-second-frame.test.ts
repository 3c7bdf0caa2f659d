import type { Project, RunRecord } from '@hone/core/api';
import { rational } from '@hone/core/time';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessibilityFaults } from '../fixtures/accessible.js';
import { expectedCodes, type NamedCut } from '../fixtures/cut-project.js';
import { openCutProject, type OpenCutProject } from '../fixtures/open-cut-project.js';
import { seenWhilePlaying } from '../fixtures/seen-while-playing.js';

/** Two clips that meet at an odd frame. */
const CUTS: readonly NamedCut[] = [
  ['long24', rational(0), 49],
  ['pal25', rational(0), 47],
];
const codes = expectedCodes(CUTS);

/** A picture that stands for two frames while it plays. */
describe('every second frame', () => {
  let opened: OpenCutProject;
  const toggle = () => opened.browser.page.getByTestId('every-second').getByRole('switch');
  const sign = () => opened.browser.page.getByTestId('tracks-out');

  beforeAll(async () => {
    opened = await openCutProject('Every second frame', CUTS);
  });

  afterAll(() => opened.close());

  it('is played with a sign that says so, and every frame is seen at rest', async () => {
    const { browser, server, made } = opened;
    await toggle().click();
    await expect
      .poll(() => sign().textContent())
      .toBe('While playing: every second frame. All is in the export.');
    // A cut is seen where it is; the last picture is that at rest.
    const isSeen = (frame: number): boolean => frame % 2 === 0 || frame === 49 || frame === codes.length - 1;
    const standing = codes.map((code, frame) => (isSeen(frame) ? code : codes[frame - 1]!));
    const { distinct } = await seenWhilePlaying(browser, standing);
    expect(distinct.size).toBeGreaterThan(10);
    await browser.waitForCode(codes.at(-1)!);
    await browser.goTo(21, 24);
    await browser.waitForCode(codes[21]!);
    await expect
      .poll(async () => (await server.get<RunRecord[]>(`projects/${made.project.id}/runs`)).length)
      .toBe(1);
    const [run] = await server.get<RunRecord[]>(`projects/${made.project.id}/runs`);
    expect(run!.facts.tuning.everySecondFrame).toBe(true);
    expect(run!.summary.wanted).toBe(codes.length);
    expect(await accessibilityFaults(browser.page)).toEqual([]);
  }, 120_000);

  it('ends with the lever', async () => {
    const { browser, server, made } = opened;
    await toggle().click();
    await sign().waitFor({ state: 'detached' });
    const { tuning } = await server.get<Project>(`projects/${made.project.id}`);
    expect(tuning.everySecondFrame).toBeUndefined();
    const { distinct } = await seenWhilePlaying(browser, codes);
    const odd = [...distinct].filter((text) => (JSON.parse(text) as { frame: number }).frame % 2 === 1);
    expect(odd.length).toBeGreaterThan(3);
    expect(browser.errors).toEqual([]);
  }, 120_000);
});
