import { execFileSync } from 'node:child_process';
import { writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { Project } from '@hone/core/api';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { psnr } from '../fixtures/likeness.js';
import { TestServer } from '../fixtures/server.js';

describe('filmstrips of unusual files', () => {
  let server: TestServer;
  let project: Project;

  beforeAll(async () => {
    server = await TestServer.start();
    project = (await server.call<Project>('POST', 'projects', { name: 'Filmstrips' })).body;
  });

  afterAll(() => server.stop());

  it('show different pictures also where a file has one key frame', async () => {
    const path = join(server.footage, 'one group.mp4');
    execFileSync('ffmpeg', [
      ...['-v', 'error', '-f', 'lavfi', '-i', 'testsrc2=s=320x180:r=24:d=3,hue=h=120*t', '-c:v', 'libx264'],
      ...['-g', '999', '-bf', '3', '-sc_threshold', '0', path],
    ]);
    await server.addSources(project.id, [path]);
    const jobs = await server.settle(project.id);
    expect(jobs.filter(({ title, problem }) => problem && title.includes('one group'))).toEqual([]);
    const { id, strip } = await server.untilSource(
      project.id,
      'one group.mp4',
      (each) => each.strip !== null,
    );
    const bytes = Buffer.from(await (await fetch(`${server.url}/media/strips/${id}`)).arrayBuffer());
    const file = join(server.folder, 'one-group.jpg');
    await writeFile(file, bytes);
    const tile = (at: number): Buffer =>
      execFileSync('ffmpeg', [
        ...['-v', 'error', '-i', file, '-vf', `crop=${strip!.width}:90:${at * strip!.width}:0,format=rgb24`],
        ...['-f', 'rawvideo', '-'],
      ]);
    expect(psnr(tile(0), tile(1))).toBeLessThan(40);
    expect(psnr(tile(0), tile(11))).toBeLessThan(20);
  });

  it('fail with a reason where nothing decodes the pictures', async () => {
    // Written so, ffmpeg leaves the parameter sets of the stream out.
    const path = join(server.footage, 'no parameter sets.mov');
    execFileSync('ffmpeg', [
      ...['-v', 'error', '-f', 'lavfi', '-i', 'testsrc2=s=1920x1080:r=25:d=0.4,format=yuv422p10le'],
      ...['-c:v', 'libx264', '-preset', 'ultrafast', '-g', '1', path],
    ]);
    await server.addSources(project.id, [path]);
    const jobs = await server.settle(project.id);
    const problems = jobs.flatMap(({ title, problem }) => (title.includes('no parameter') ? [problem] : []));
    expect(problems.join()).toContain('ffmpeg decodes no picture of this file');
  });
});
