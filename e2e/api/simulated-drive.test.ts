import { execFileSync } from 'node:child_process';
import { copyFile, readFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { Project, Source } from '@hone/core/api';
import { simulatedDrive } from '@hone/core/machine';
import { makeCodedClip } from '@hone/demo';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { TestServer } from '../fixtures/server.js';

describe('a simulated drive', () => {
  let server: TestServer;
  let project: Project;
  const sourceOf = async (name: string): Promise<Source> =>
    (await server.get<Source[]>(`projects/${project.id}/sources`)).find((source) => source.name === name)!;

  beforeAll(async () => {
    server = await TestServer.start();
    project = (await server.call<Project>('POST', 'projects', { name: 'Drives' })).body;
    const path = join(server.footage, 'long.mp4');
    await makeCodedClip({ source: 3, width: 640, height: 360, rate: '24', frames: 120, path });
    await server.addSources(project.id, [path]);
    await server.settle(project.id);
  });

  afterAll(() => server.stop());

  it('lets through what it says, measured by a client over any second', async () => {
    const path = join(server.footage, 'bulk.wav');
    execFileSync('ffmpeg', [
      ...['-v', 'error', '-f', 'lavfi', '-t', '640', '-i', 'anoisesrc=r=48000:a=0.1', '-ac', '2', path],
    ]);
    await copyFile(path, join(server.footage, 'bulk 2.wav'));
    await server.addSources(project.id, [path]);
    await server.settle(project.id);
    const { id } = await sourceOf('bulk.wav');
    const driveId = 'usb-rotating-full';
    const rate = simulatedDrive(driveId)!.readBytesPerSecond;
    expect((await server.call('PUT', 'simulation', { driveId })).status).toBe(200);
    expect(await server.get('simulation')).toEqual({ driveId });
    const arrived: { at: number; bytes: number }[] = [];
    let bytes = 0;
    const reply = await fetch(`${server.url}/media/sources/${id}`);
    for await (const chunk of reply.body as unknown as AsyncIterable<Uint8Array>) {
      bytes += chunk.length;
      arrived.push({ at: performance.now(), bytes });
    }
    await server.call('PUT', 'simulation', { driveId: null });
    expect(bytes).toBeGreaterThan(100e6);
    const windows: number[] = [];
    for (const from of arrived) {
      const to = arrived.find(({ at }) => at >= from.at + 1000);
      if (!to) break;
      windows.push(((to.bytes - from.bytes) / (to.at - from.at)) * 1000);
    }
    expect(windows.length).toBeGreaterThan(10);
    expect(Math.max(...windows)).toBeLessThan(1.05 * rate);
    const slowedMs = arrived.at(-1)!.at - arrived[0]!.at;
    // Without it, the same file comes sooner.
    const started = performance.now();
    await (await fetch(`${server.url}/media/sources/${id}`)).arrayBuffer();
    expect(performance.now() - started).toBeLessThan(slowedMs);
  });

  it('answers ranges as RFC 9110 lays them out', async () => {
    await server.call('PUT', 'simulation', { driveId: 'fast-solid-state' });
    const { id } = await sourceOf('long.mp4');
    const bytes = await readFile(join(server.footage, 'long.mp4'));
    const part = await fetch(`${server.url}/media/sources/${id}`, { headers: { Range: 'bytes=100-299' } });
    expect(part.status).toBe(206);
    expect(part.headers.get('content-range')).toBe(`bytes 100-299/${bytes.length}`);
    expect(Buffer.from(await part.arrayBuffer())).toEqual(bytes.subarray(100, 300));
    const beyond = await fetch(`${server.url}/media/sources/${id}`, {
      headers: { Range: `bytes=${bytes.length}-` },
    });
    expect(beyond.status).toBe(416);
    expect((await server.call('PUT', 'simulation', { driveId: 'tape' })).status).toBe(400);
    await server.call('PUT', 'simulation', { driveId: null });
  });
});
