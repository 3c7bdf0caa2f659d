import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Project } from '@hone/core/api';
import { makeCodedClip } from '@hone/demo';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessibilityFaults } from '../fixtures/accessible.js';
import { TestBrowser } from '../fixtures/browser.js';
import { HardwareFfmpeg, SIMULATED } from '../fixtures/hardware-ffmpeg.js';
import { TestServer } from '../fixtures/server.js';

describe('hardware of ffmpeg on the page Rig', () => {
  let tools: string;
  let ffmpeg: HardwareFfmpeg;
  let server: TestServer;
  let browser: TestBrowser;
  let project: Project;
  let sourceId: string;

  beforeAll(async () => {
    tools = await mkdtemp(join(tmpdir(), 'hone-tools-'));
    ffmpeg = await HardwareFfmpeg.make(tools, 'hardware');
    server = await TestServer.start({}, { HONE_FFMPEG: ffmpeg.path });
    project = (await server.call<Project>('POST', 'projects', { name: 'Hardware' })).body;
    const path = join(server.footage, 'sluice.mp4');
    await makeCodedClip({ source: 1, width: 1280, height: 720, rate: '24', frames: 48, path });
    const [source] = await server.addSources(project.id, [path]);
    sourceId = source!.id;
    await server.settle(project.id);
    browser = await TestBrowser.open(`${server.url}/rig`);
  });

  afterAll(async () => {
    await browser.close();
    await server.stop();
    await rm(tools, { recursive: true, force: true });
  });

  const board = () => browser.page.getByTestId('ffmpeg-choice');
  const note = () => browser.page.getByTestId('ffmpeg-note');

  it('is measured, and taken by itself where it is quicker, with the speeds of both', async () => {
    expect(await note().textContent()).toContain('not tried yet');
    await browser.page.getByTestId('measure').click();
    const told = note().filter({ hasText: `encoded by ${SIMULATED.encoder}` });
    await told.waitFor({ timeout: 200_000 });
    const [, hardware, processor] = /h264_nvenc \((\d+) frames\/s; processor (\d+) frames\/s\)/.exec(
      (await told.textContent())!,
    )!;
    expect(Number(hardware)).toBeGreaterThan(Number(processor));
    expect(await board().getByRole('radio', { name: 'Hardware' }).isEnabled()).toBe(true);
    expect(await accessibilityFaults(browser.page)).toEqual([]);
  }, 240_000);

  it('that is lost is replaced by the processor, with a message on every page and until another choice', async () => {
    const { page } = browser;
    await ffmpeg.lose();
    const [copy] = await server.makeCopies(project.id, [sourceId], 2);
    expect(copy!.state).toBe('ready');
    const notice = page.getByRole('status').filter({ hasText: 'the processor took over' });
    await notice.waitFor();
    expect(await notice.textContent()).toContain('Cannot load the device');
    await board().getByRole('alert').waitFor();
    expect(await note().textContent()).toContain('Now the processor decodes and encodes all of it.');
    await ffmpeg.find();
    await board().getByRole('radio', { name: 'Hardware' }).click();
    await board().getByRole('alert').waitFor({ state: 'detached' });
    await note()
      .filter({ hasText: `encoded by ${SIMULATED.encoder}` })
      .waitFor();
  });
});
