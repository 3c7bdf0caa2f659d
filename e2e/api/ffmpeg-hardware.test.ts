import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { LightCopy, MachineChange, MachineSettings } from '@hone/core/api';
import type { DecodeFigures, HardwarePath } from '@hone/core/machine';
import { rational } from '@hone/core/time';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { codesOf } from '../fixtures/clips.js';
import {
  CUT_SIZE,
  expectedCodes,
  makeCutProject,
  type CutProject,
  type NamedCut,
} from '../fixtures/cut-project.js';
import { HardwareFfmpeg, SIMULATED } from '../fixtures/hardware-ffmpeg.js';
import { TestServer } from '../fixtures/server.js';

const CUTS: readonly NamedCut[] = [
  ['long24', rational(1, 3), 20],
  ['pal25', rational(1), 20],
];

describe.each(['hardware', 'processor'] as const)('ffmpeg with hardware, the %s quicker', (quicker) => {
  let tools: string;
  let ffmpeg: HardwareFfmpeg;
  let server: TestServer;
  let made: CutProject;
  let paths: HardwarePath[];

  beforeAll(async () => {
    tools = await mkdtemp(join(tmpdir(), 'hone-tools-'));
    ffmpeg = await HardwareFfmpeg.make(tools, quicker);
    server = await TestServer.start({}, { HONE_FFMPEG: ffmpeg.path });
    made = await makeCutProject(server, 'Hardware', CUTS);
    await server.settle(made.project.id);
    paths = await measure();
  });

  afterAll(async () => {
    await server.stop();
    await rm(tools, { recursive: true, force: true });
  });

  const about = () => ({ projectId: made.project.id, thorough: false });
  const measure = async (): Promise<HardwarePath[]> =>
    (await server.call<HardwarePath[]>('POST', 'measurements/hardware-paths', about())).body;
  const change = (wanted: MachineChange) => server.call<MachineSettings>('PUT', 'machine/settings', wanted);
  const settings = () => server.get<MachineSettings>('machine/settings');

  /** Makes a copy anew. @returns what hardware did of it, and the codes of its frames */
  const copyOf = async (name: string) => {
    const source = await server.untilSource(made.project.id, `${name}.mp4`, ({ state }) => state === 'ready');
    const isOfIt = ({ sourceId }: LightCopy): boolean => sourceId === source.id;
    const before = await server.get<LightCopy[]>(`projects/${made.project.id}/copies`);
    for (const { id } of before.filter(isOfIt)) await server.call('DELETE', `copies/${id}`);
    await ffmpeg.used();
    const copies = await server.makeCopies(made.project.id, [source.id], 2);
    const copy = copies.find(isOfIt)!;
    expect(copy.state).toBe('ready');
    return { used: await ffmpeg.used(), copy };
  };

  it('is tried: each path with its speed beside the processor, or with the reason why not', () => {
    const encoder = paths.find(({ name }) => name === SIMULATED.encoder)!;
    expect(encoder).toMatchObject({ use: 'encode', codec: 'h264', works: true, reason: '' });
    expect(encoder.likeness).toBeGreaterThan(40);
    const [rate, processor] = [encoder.framesPerSecond!.value, encoder.processorFramesPerSecond!.value];
    expect(rate > processor).toBe(quicker === 'hardware');
    const method = paths.find(({ name }) => name === SIMULATED.method)!;
    expect(method).toMatchObject({ use: 'decode', codec: 'h264', works: true });
    expect(method.framesPerSecond!.value).toBeGreaterThan(0);
    for (const { works, reason, framesPerSecond } of paths) {
      expect(works).toBe(reason === '');
      expect(framesPerSecond !== undefined).toBe(works);
    }
  });

  it('encodes copies and cached stretches by the quicker one, with the right frames', async () => {
    expect(await settings()).toMatchObject({ ffmpegOn: 'automatic', hardwareLost: null });
    const { used } = await copyOf('long24');
    expect(used.includes(SIMULATED.encoder)).toBe(quicker === 'hardware');
    const request = { ranges: [{ from: 5, to: 35 }], size: CUT_SIZE };
    const { body } = await server.call<{ id: string }>(
      'POST',
      `projects/${made.project.id}/cached-stretches`,
      request,
    );
    expect(await server.services.queue.finished(body.id)).toMatchObject({ state: 'done' });
    expect((await ffmpeg.used()).includes(SIMULATED.encoder)).toBe(quicker === 'hardware');
    const [stretch] = await server.get<{ id: string }[]>('cached-stretches');
    const path = join(server.folder, 'data', 'render-cache', `${stretch!.id}.mp4`);
    expect(codesOf(path)).toEqual(expectedCodes(CUTS).slice(5, 35));
  }, 120_000);

  it('does as it is told, and exports know nothing of it', async () => {
    expect((await change({ ffmpegOn: 'hardware' })).body.ffmpegOn).toBe('hardware');
    expect(new Set((await copyOf('pal25')).used)).toEqual(new Set([SIMULATED.encoder, SIMULATED.method]));
    const { body } = await server.call<DecodeFigures[]>('POST', 'measurements/server-decoders', about());
    expect(body[0]).toMatchObject({ decoder: 'server', acceleration: 'hardware', problem: null });
    expect(new Set(await ffmpeg.used())).toEqual(new Set([SIMULATED.method]));
    expect((await server.export(made.project.id)).state).toBe('ready');
    expect(await ffmpeg.used()).toEqual([]);
    await change({ ffmpegOn: 'processor' });
    expect((await copyOf('pal25')).used).toEqual([]);
    expect((await change({ ffmpegOn: 'other' as never })).status).toBe(400);
  }, 120_000);

  it('hands over to the processor where the device is lost, and says so until another choice', async () => {
    await change({ ffmpegOn: 'hardware' });
    await ffmpeg.lose();
    const { used, copy } = await copyOf('long24');
    expect(used.length).toBeGreaterThan(0);
    expect(copy.state).toBe('ready');
    expect((await settings()).hardwareLost).toMatch(/Cannot load the device/);
    expect((await copyOf('pal25')).used).toEqual([]);
    await ffmpeg.find();
    expect((await change({ ffmpegOn: 'hardware' })).body.hardwareLost).toBeNull();
    expect((await copyOf('pal25')).used).toContain(SIMULATED.encoder);
  }, 120_000);
});
