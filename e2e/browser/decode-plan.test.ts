import type { RunRecord } from '@hone/core/api';
import { FrameLog } from '@hone/core/playback';
import { PREROLL_FRAMES } from '@hone/core/pacing';
import { rational } from '@hone/core/time';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { TestBrowser } from '../fixtures/browser.js';
import { makeCutProject, type CutProject, type NamedCut } from '../fixtures/cut-project.js';
import { rigOf } from '../fixtures/rigs.js';
import { TestServer } from '../fixtures/server.js';

const CUT_FRAMES = 15;
/** Cuts within one clip whose key frames are far apart, so that each needs many pictures before its first. */
const CUTS = Array.from({ length: 12 }, (_, at): NamedCut => [
  'long24',
  rational(4 + 5 * (at % 2), 4),
  CUT_FRAMES,
]);

describe('a timeline that is predicted to be beyond the machine', () => {
  let server: TestServer;
  let browser: TestBrowser;
  let made: CutProject;

  beforeAll(async () => {
    server = await TestServer.start();
    made = await makeCutProject(server, 'Beyond', CUTS);
    await server.settle(made.project.id);
    // What a run teaches would make the machine of the test the one that is predicted.
    server.services.sampler.othersShare = () => Promise.resolve(0.5);
    await server.call('PUT', 'rigs/own', rigOf(300, 2));
    browser = await TestBrowser.open(server.url);
    await browser.waitForPicture();
  });

  afterAll(async () => {
    await browser.close();
    await server.stop();
  });

  const played = async (): Promise<{ run: RunRecord; shown: number[]; decoded: number[] }> => {
    await browser.page.keyboard.press('Home');
    await browser.playThrough();
    const [run] = await server.get<RunRecord[]>(`projects/${made.project.id}/runs`);
    const reply = await fetch(`${server.url}/api/runs/${run!.id}/log`);
    const log = new FrameLog(run!.facts.firstFrame, new Float32Array(await reply.arrayBuffer()));
    const frames = Array.from({ length: log.length }, (_, at) => log.firstFrame + at);
    return {
      run: run!,
      shown: frames.filter((frame) => !Number.isNaN(log.get(frame, 'shown'))),
      decoded: frames.filter((frame) => log.get(frame, 'decoded') > 0),
    };
  };

  it('leaves clips out as planned, and shows the others', async () => {
    await browser.page.getByRole('heading', { name: 'Predicted to drop frames' }).waitFor();
    await browser.waitForPrediction();
    const { run, shown, decoded } = await played();
    const { ranges } = run.facts;
    expect(ranges).toBeDefined();
    const planned = ranges!.flatMap(({ from, to }) =>
      Array.from({ length: to - from }, (_, at) => from + at),
    );
    expect(planned.length).toBeLessThan(CUTS.length * CUT_FRAMES);
    // Nothing else is decoded but what playing begins with.
    for (const frame of decoded.filter((each) => each > PREROLL_FRAMES)) expect(planned).toContain(frame);
    // These clips are small: what is planned for a slow machine is easy for any.
    expect(shown.length).toBeGreaterThan(0.8 * planned.length);
  });

  it('is decoded as a whole on a faster machine', async () => {
    await server.call('PUT', 'rigs/own', rigOf(1, 2));
    await browser.page.reload();
    await browser.waitForPicture();
    await browser.waitForPrediction();
    const { run, shown } = await played();
    expect(run.facts.ranges).toBeUndefined();
    expect(shown.length).toBeGreaterThan(0.8 * CUTS.length * CUT_FRAMES);
  });

  it('has met no error on the way', () => {
    expect(browser.errors).toEqual([]);
  });
});
