import { randomUUID } from 'node:crypto';
import { rm } from 'node:fs/promises';
import { availableParallelism } from 'node:os';
import { join } from 'node:path';
import {
  checked,
  drivesToMeasureSchema,
  machineChangeSchema,
  measureSchema,
  type MachineSettings,
} from '@hone/core/api';
import { PacketIndex } from '@hone/core/media';
import { decoderSamples, rigSchema, TRIAL_SECONDS } from '@hone/core/machine';
import { Router, type Request, type Response } from 'express';
import type { Config } from '../config.js';
import type { FfmpegHardware } from '../ffmpeg/hardware.js';
import { leadingFile } from '../ffmpeg/input.js';
import { jsonBody } from '../http/bodies.js';
import type { SourceRow, SourceStore } from '../media/source-store.js';
import { playbackHold } from '../process/playback-hold.js';
import type { CacheFolders } from '../render-cache/cache-folders.js';
import type { ProjectStore } from '../projects/project-store.js';
import { tryCacheFormats } from './cache-formats.js';
import { driveUses, measureDrive, type DriveUse } from './drive-measurement.js';
import { decodeRate } from './ffmpeg-measurement.js';
import { hardwarePaths } from './hardware-paths.js';
import type { MemoryLimits } from './limits.js';
import { connectionOf, ExternalLoadMonitor } from './external-load.js';
import { graphicsDevices, machineNow } from './machine.js';
import { serverDecoders } from './server-decoders.js';
import { OWN_RIG, type RigStore } from './rig-store.js';

/** A load by others above which a measurement counts as disturbed. */
const DISTURBED = 0.3;

interface RigParts {
  readonly rigs: RigStore;
  readonly projects: ProjectStore;
  readonly sources: SourceStore;
  readonly config: Config;
  readonly limits: MemoryLimits;
  readonly hardware: FfmpegHardware;
  readonly cacheFolders: CacheFolders;
}

export function rigRoutes(parts: RigParts): Router {
  const { rigs, projects, sources, config, limits, hardware, cacheFolders } = parts;
  const others = new ExternalLoadMonitor();
  const isDisturbed = async ({ socket }: Request): Promise<boolean> =>
    (await others.during(400, connectionOf(socket))) > DISTURBED;
  const triedFormats = triedFormatsFolder(config);
  const router = Router();
  const large = jsonBody('4mb');

  const ended = (response: Response): AbortSignal => {
    const abort = new AbortController();
    response.on('close', () => abort.abort());
    return abort.signal;
  };

  router.get('/rigs', async (_request, response) => {
    response.json({ own: await rigs.own(), loaded: await rigs.loaded() });
  });

  router.put('/rigs/own', large, async (request, response) => {
    const rig = checked(rigSchema, request.body, 'the rig');
    response.json(await rigs.keep({ ...rig, id: OWN_RIG, simulated: false }));
  });

  router.post('/rigs', large, async (request, response) => {
    const rig = checked(rigSchema, request.body, 'the rig');
    response.status(201).json(await rigs.keep({ ...rig, id: randomUUID(), simulated: true }));
  });

  router.delete('/rigs/:id', async (request, response) => {
    await rigs.remove(request.params.id);
    response.status(204).end();
  });

  router.get('/machine', async ({ socket }, response) => {
    response.json({
      machine: await machineNow(await others.during(500, connectionOf(socket))),
      graphics: await graphicsDevices(),
      measuresItself: config.measuresItself,
    });
  });

  const settings = async (): Promise<MachineSettings> => ({
    ...(await rigs.limits()),
    ...(await hardware.settings()),
  });

  router.get('/machine/settings', async (_request, response) => {
    response.json(await settings());
  });

  router.put('/machine/settings', large, async (request, response) => {
    const { memoryCeilingBytes, ffmpegOn } = checked(machineChangeSchema, request.body, 'the request');
    if (memoryCeilingBytes !== undefined) await rigs.setCeiling(memoryCeilingBytes);
    if (ffmpegOn !== undefined) await hardware.choose(ffmpegOn);
    response.json(await settings());
  });

  const uses = async (): Promise<DriveUse[]> => {
    const places = [
      { path: join(config.dataFolder, 'copies'), holds: 'light copies', writable: true },
      { path: join(config.dataFolder, 'exports'), holds: 'exports', writable: true },
      { path: (await cacheFolders.current()).folder, holds: 'render cache', writable: true },
    ];
    const files = (await sources.all()).filter(({ state }) => state === 'ready').map(leadingFile);
    return driveUses(places, files);
  };

  router.get('/measurements/drives', async (_request, response) => {
    response.json((await uses()).map(({ mount, holds }) => ({ drive: mount.point, holds })));
  });

  router.post('/measurements/drives', large, async (request, response) => {
    const { thorough, drive } = checked(drivesToMeasureSchema, request.body, 'the request');
    const signal = ended(response);
    const use = (await uses()).find(({ mount }) => mount.point === drive);
    const disturbed = await isDisturbed(request);
    response.json(use ? await measureDrive(use, { thorough, disturbed, signal }) : null);
  });

  const measured = async (request: Request, response: Response) => {
    const { thorough, projectId, sourceIds } = checked(measureSchema, request.body, 'the request');
    await projects.requireKnown(projectId);
    const ready = (await sources.list(projectId)).filter(({ state }) => state === 'ready');
    const rows = await Promise.all(ready.map((row) => sources.resolved(row)));
    const samples = sourceIds ? rows.filter(({ id }) => sourceIds.includes(id)) : decoderSamples(rows);
    const disturbed = await isDisturbed(request);
    const signal = ended(response);
    const seconds = sourceIds ? TRIAL_SECONDS : thorough ? 4 : 1;
    return {
      samples,
      most: thorough || sourceIds ? 24 : 3,
      how: { ffmpeg: config.ffmpeg, seconds, rounds: sourceIds ? 1 : 2, disturbed, signal },
    };
  };

  router.post('/measurements/processor', large, async (request, response) => {
    const { samples, how } = await measured(request, response);
    const heaviest = samples[0];
    const oneCoreFps = heaviest ? await decodeRate(heaviest, 1, how) : null;
    const allCoresFps = heaviest ? await decodeRate(heaviest, availableParallelism(), how) : null;
    response.json({ oneCoreFps, allCoresFps });
  });

  router.post('/measurements/server-decoders', large, async (request, response) => {
    const { samples, most, how } = await measured(request, response);
    const indexOf = async (row: SourceRow): Promise<PacketIndex | undefined> => {
      const packets = await sources.packetsOf(row);
      return packets && PacketIndex.from(packets);
    };
    const threads = (await limits.shares()).ffmpegThreads;
    const paths = await hardware.paths();
    response.json(await serverDecoders(samples.slice(0, most), { ...how, threads, paths }, indexOf));
  });

  router.post('/measurements/hardware-paths', large, async (request, response) => {
    const { samples, how } = await measured(request, response);
    const { ffmpegThreads: threads } = await limits.shares();
    const scratch = join(config.dataFolder, 'scratch');
    const paths = await hardwarePaths(samples, { ...how, ffprobe: config.ffprobe, threads, scratch });
    hardware.noteTried(paths);
    response.json(paths);
  });

  router.post('/measurements/cache-formats', large, async (request, response) => {
    const { samples, how } = await measured(request, response);
    const { ffmpegThreads: threads } = await limits.shares();
    // Many pictures make up for rounds.
    const trial = { ...how, rounds: 1, ffprobe: config.ffprobe, threads, folder: triedFormats };
    response.json(await tryCacheFormats(samples[0], { ...trial, paths: await hardware.paths() }));
  });

  router.delete('/measurements/cache-formats', async (_request, response) => {
    await rm(triedFormats, { recursive: true, force: true });
    response.status(204).end();
  });

  router.post('/measurements/hold', (_request, response) => {
    playbackHold.hold();
    response.status(204).end();
  });

  router.get('/measurements/load', async ({ socket }, response) => {
    response.json({ load: await others.during(400, connectionOf(socket)) });
  });

  return router;
}

/** Folder of the files that codings of cached stretches were tried with. */
export const triedFormatsFolder = ({ dataFolder }: Pick<Config, 'dataFolder'>): string =>
  join(dataFolder, 'scratch', 'cache-formats');
