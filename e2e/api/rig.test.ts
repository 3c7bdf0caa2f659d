import { execFileSync } from 'node:child_process';
import { cpus, totalmem } from 'node:os';
import { join } from 'node:path';
import type { MachineNow, MachineSettings, Problem, Project, Rigs, RunRecord } from '@hone/core/api';
import { FrameLog, type NewRun, type RunSample } from '@hone/core/playback';
import {
  SIMULATED_RIGS,
  type DecodeFigures,
  type DriveFigures,
  type HardwarePath,
  type Rig,
} from '@hone/core/machine';
import { makeCodedClip } from '@hone/demo';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { TestServer } from '../fixtures/server.js';
import { makeUnusual } from '../fixtures/unusual-clips.js';

const GIB = 2 ** 30;

describe('the machine, measured by the server', () => {
  let server: TestServer;
  let project: Project;
  let about: { projectId: string; thorough: boolean };

  beforeAll(async () => {
    server = await TestServer.start();
    project = (await server.call<Project>('POST', 'projects', { name: 'Rig' })).body;
    const h264 = join(server.footage, 'h264.mp4');
    await makeCodedClip({ source: 1, width: 1280, height: 720, rate: '24', frames: 72, path: h264 });
    await server.addSources(project.id, [h264, await makeUnusual('uncompressed', server.footage)]);
    await server.settle(project.id);
    about = { projectId: project.id, thorough: false };
  });

  afterAll(() => server.stop());

  it('has the cores and the memory that the system has', async () => {
    const { machine } = await server.get<MachineNow>('machine');
    expect(machine.cores).toBe(cpus().length);
    expect(machine.memoryBytes).toBe(totalmem());
    expect(machine.freeMemoryBytes).toBeLessThan(machine.memoryBytes);
    expect(machine.loadByOthers).toBeGreaterThanOrEqual(0);
    expect(machine.loadByOthers).toBeLessThanOrEqual(1);
  });

  it('has drives whose reading agrees with dd run by hand', async () => {
    const uses = await server.get<{ drive: string; holds: string[] }[]>('measurements/drives');
    expect(uses.flatMap(({ holds }) => holds)).toEqual(
      expect.arrayContaining(['media', 'light copies', 'exports']),
    );
    const use = uses.find(({ holds }) => holds.includes('media'))!;
    const path = join(server.footage, 'uncompressed.mov');
    const byHand = (): number => {
      const flags = ['iflag=direct', ''].find((flag) => {
        try {
          execFileSync('dd', [`if=${path}`, 'of=/dev/null', 'bs=4096', 'count=1', ...(flag ? [flag] : [])], {
            stdio: 'ignore',
          });
          return true;
        } catch {
          return false;
        }
      });
      const args = [`if=${path}`, 'of=/dev/null', 'bs=4M', 'count=48', ...(flags ? [flags] : [])];
      const text = execFileSync('sh', ['-c', `LC_ALL=C dd ${args.map((arg) => `"${arg}"`).join(' ')} 2>&1`], {
        encoding: 'utf8',
      });
      const [, bytes, seconds] = /(\d+) bytes.* copied, ([\d.e+-]+) s/.exec(text)!;
      return Number(bytes) / Number(seconds);
    };
    // A drive that others use too gives now more, now less: the best of three pairs is compared.
    const ratios: number[] = [];
    let figures: DriveFigures | undefined;
    for (let round = 0; round < 3; round++) {
      const { body } = await server.call<DriveFigures>('POST', 'measurements/drives', {
        drive: use.drive,
        thorough: false,
      });
      figures = body;
      expect(body.problem).toBeNull();
      ratios.push(body.readBytesPerSecond!.value / byHand());
    }
    const nearest = ratios.reduce((best, ratio) =>
      Math.abs(Math.log(ratio)) < Math.abs(Math.log(best)) ? ratio : best,
    );
    expect(nearest).toBeGreaterThan(0.5);
    expect(nearest).toBeLessThan(2);
    expect(figures!.readBytesPerSecond!.method).toMatch(/^(dd|fio)/);
    expect(figures!.freeBytes).toBeLessThanOrEqual(figures!.bytes);
    expect(figures!.randomReadMs!.value).toBeGreaterThan(0);
  });

  it('has decoders, each measured on a source of its kind', async () => {
    const { body } = await server.call<DecodeFigures[]>('POST', 'measurements/server-decoders', about);
    expect(body.map(({ codec }) => codec).sort()).toEqual(['h264', 'v210']);
    for (const { msPerFrame, startMs, decoder, problem } of body) {
      expect(decoder).toBe('server');
      expect(problem).toBeNull();
      expect(msPerFrame!.low).toBeGreaterThan(0);
      expect(msPerFrame!.low).toBeLessThanOrEqual(msPerFrame!.value);
      expect(msPerFrame!.value).toBeLessThanOrEqual(msPerFrame!.high);
      // Starting it holds decoding a picture.
      expect(startMs!.value).toBeGreaterThan(msPerFrame!.value);
    }
    const cores = await server.call<Pick<Rig, 'oneCoreFps' | 'allCoresFps'>>(
      'POST',
      'measurements/processor',
      about,
    );
    expect(cores.body.oneCoreFps!.value).toBeGreaterThan(0);
    expect(cores.body.allCoresFps!.value).toBeGreaterThan(0);
  });

  it('has hardware paths that were tried, each with the reason when it fails', async () => {
    const { body } = await server.call<HardwarePath[]>('POST', 'measurements/hardware-paths', about);
    const listed = execFileSync('ffmpeg', ['-v', 'error', '-hwaccels'], { encoding: 'utf8' })
      .trim()
      .split('\n')
      .slice(1);
    for (const codec of ['h264', 'v210']) {
      const tried = body.filter((path) => path.use === 'decode' && path.codec === codec);
      expect(tried.map(({ name }) => name)).toEqual(listed.map((name) => name.trim()));
    }
    for (const { works, reason } of body) expect(works).toBe(reason === '');
  });

  it('is looked at while a run goes on', async () => {
    const pressedAt = Date.now();
    expect((await server.call('POST', 'sampling')).status).toBe(204);
    const spin = 'end=$(($(date +%s)+3)); while [ $(date +%s) -lt $end ]; do :; done';
    execFileSync('sh', ['-c', `(setsid sh -c '${spin}') >/dev/null 2>&1 &`]);
    await new Promise((resolve) => setTimeout(resolve, 1400));
    const log = FrameLog.empty(0, 24);
    for (let frame = 0; frame < 24; frame++) log.set(frame, 'settled', 1);
    const run: NewRun = {
      facts: {
        ...{
          firstFrame: 0,
          rate: { num: 24, den: 1 },
          tuning: project.tuning,
          subjectId: null,
          copiedSources: [],
        },
        ...{ serverDecoded: [], leversMoved: false, clock: 'system', sound: { mixMs: 1, gapSamples: 0 } },
        ...{ decodeWorkers: 1, rigId: null, driveId: null, predicted: null, played: null, wholeFrames: null },
      },
      log: Buffer.from(log.values.buffer as ArrayBuffer).toString('base64'),
      pressedAt,
    };
    const { body } = await server.call<RunRecord>('POST', `projects/${project.id}/runs`, run);
    // Only Linux tells who works beside Hone; a process that has left its parents is somebody else.
    expect(body.facts.othersShare ?? 1).toBeGreaterThan(0.5 / cpus().length);
    const samples = await server.get<RunSample[]>(`runs/${body.id}/samples`);
    expect(samples.length).toBeGreaterThanOrEqual(3);
    for (const { cores, atMs, usedMemoryBytes } of samples) {
      expect(cores).toHaveLength(cpus().length);
      expect(cores.every((share) => share >= 0 && share <= 1)).toBe(true);
      expect(atMs).toBeGreaterThan(0);
      expect(usedMemoryBytes).toBeLessThan(totalmem());
    }
  });

  it('is kept as a rig, loaded from a file, and refused when it is none', async () => {
    const rig = SIMULATED_RIGS[2]!;
    expect((await server.call('PUT', 'rigs/own', rig)).status).toBe(200);
    const loaded = await server.call<Rig>('POST', 'rigs', { ...rig, name: 'Theirs' });
    expect(loaded.status).toBe(201);
    const { own, loaded: all } = await server.get<Rigs>('rigs');
    expect(own).toMatchObject({ id: 'own', simulated: false });
    expect(all.map(({ name }) => name)).toEqual(['Theirs']);
    for (const wrong of [{}, { ...rig, version: 9 }, { ...rig, decoders: [{ codec: 1 }] }]) {
      const { status, body } = await server.call<Problem>('POST', 'rigs', wrong);
      expect(status).toBe(400);
      expect(body.detail).toMatch(/^Could not read the rig/);
    }
    expect((await server.call('DELETE', `rigs/${loaded.body.id}`)).status).toBe(204);
    expect((await server.get<Rigs>('rigs')).loaded).toEqual([]);
  });

  it('keeps to one ceiling of memory', async () => {
    const before = await server.get<MachineSettings>('machine/settings');
    expect(before.memoryCeilingBytes).toBeLessThanOrEqual(before.memoryBytes);
    expect((await server.call('PUT', 'machine/settings', { memoryCeilingBytes: 2 * GIB })).status).toBe(200);
    expect(await server.get('machine/settings')).toMatchObject({ memoryCeilingBytes: 2 * GIB });
    for (const memoryCeilingBytes of [1000, 2 * totalmem()]) {
      const { status, body } = await server.call<Problem>('PUT', 'machine/settings', { memoryCeilingBytes });
      expect(status).toBe(400);
      expect(body.detail).toMatch(/between 1\.0 GB and/);
    }
    const threads = await server.services.limits.decoderArguments();
    expect(Number(threads[1])).toBeGreaterThanOrEqual(1);
    // Each holds pictures of its own, about 60 MiB of them at 3840 × 2160; a fifth of the ceiling is theirs.
    expect(Number(threads[1]) * 60 * 2 ** 20).toBeLessThanOrEqual(0.2 * 2 * GIB);
    expect(Number(threads[1])).toBeLessThanOrEqual(2 * cpus().length);
  });
});
