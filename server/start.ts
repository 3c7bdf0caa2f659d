import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { mkdir } from 'node:fs/promises';
import { join } from 'node:path';
import { openApi } from '@hone/core/api';
import express, { type Express, type RequestHandler } from 'express';
import { pino, type Logger } from 'pino';
import { pinoHttp } from 'pino-http';
import type { Config } from './config.js';
import { CopyOrders } from './copies/copy-orders.js';
import { CopyEstimator } from './copies/estimate.js';
import { CopyStore } from './copies/copy-store.js';
import { likenessHandler } from './copies/likeness.js';
import { copyHandler } from './copies/make-copy.js';
import { copyRoutes } from './copies/routes.js';
import { ExportStore } from './exports/export-store.js';
import { exportHandler } from './exports/make-export.js';
import { exportRoutes } from './exports/routes.js';
import { exportStripRoutes } from './exports/strip-routes.js';
import { TableStore } from './effects/table-store.js';
import { effectFiles, tableRoutes } from './effects/routes.js';
import { EventBus, eventStream } from './http/events.js';
import { idleBodies, jsonBody, onlyDescribedTypes } from './http/bodies.js';
import { onlyOwnPage, sandboxed, securityHeaders } from './http/guard.js';
import { onlyOwner } from './http/owner.js';
import { newToken, onlyWithToken } from './http/token.js';
import { pages } from './http/pages.js';
import { nothingHere, problemHandler } from './http/problems.js';
import { routesOf } from './http/routes-of.js';
import type { JobHandler, JobQueue } from './jobs/queue.js';
import { jobRoutes } from './jobs/routes.js';
import { SqliteQueue } from './jobs/sqlite-queue.js';
import { DriveSimulation } from './drives/simulation.js';
import { simulationRoutes } from './drives/routes.js';
import { mediaFiles } from './media/files.js';
import { FfmpegHardware } from './ffmpeg/hardware.js';
import { frameRoutes } from './media/frame-routes.js';
import { indexHandler } from './media/index-job.js';
import { soundHandler } from './media/sound-job.js';
import { stripHandler } from './media/filmstrip-job.js';
import { SourceWatcher } from './media/watch.js';
import { Folders } from './media/folders.js';
import { MediaFolders } from './media/media-folders.js';
import { MediaSearch } from './media/media-search.js';
import { damageHandler } from './media/damage-job.js';
import { hashHandler } from './media/hash.js';
import { Importer, readHandler } from './media/import.js';
import { Removal } from './media/removal.js';
import { sourceRoutes } from './media/routes.js';
import { SourceStore } from './media/source-store.js';
import { ProjectStore } from './projects/project-store.js';
import { ProjectDuplicator } from './projects/duplicate.js';
import { projectRoutes } from './projects/routes.js';
import { savedTuningRoutes } from './projects/saved-tunings.js';
import { MemoryLimits } from './rig/limits.js';
import { renderCacheRoutes } from './render-cache/routes.js';
import { stretchHandler } from './render-cache/render-stretch.js';
import { CacheFolders } from './render-cache/cache-folders.js';
import { StretchStore } from './render-cache/stretch-store.js';
import { RigStore } from './rig/rig-store.js';
import { rigRoutes, triedFormatsFolder } from './rig/routes.js';
import { Sampler } from './rig/sampler.js';
import { runRoutes } from './runs/routes.js';
import { RunStore } from './runs/run-store.js';
import { MediaAccess } from './media/media-access.js';
import { children } from './process/child-registry.js';
import { lockFolder } from './process/folder-lock.js';
import { BackupClock } from './store/backups.js';
import { openDatabase, type Database } from './store/database.js';
import { makePrivateFolder } from './store/private-folder.js';
import { sweep } from './store/sweep.js';

const KEEP_ALIVE_MS = 600_000;

/** Shared parts of the server, for modules that add routes. */
export interface Services {
  readonly config: Config;
  readonly projects: ProjectStore;
  readonly sources: SourceStore;
  readonly copies: CopyStore;
  readonly stretches: StretchStore;
  readonly exports: ExportStore;
  readonly tables: TableStore;
  readonly importer: Importer;
  readonly orders: CopyOrders;
  readonly folders: Folders;
  readonly access: MediaAccess;
  readonly simulation: DriveSimulation;
  readonly rigs: RigStore;
  readonly limits: MemoryLimits;
  readonly hardware: FfmpegHardware;
  readonly queue: JobQueue;
  readonly sampler: Sampler;
}

export interface RunningServer {
  readonly url: string;
  readonly services: Services;
  /** Every route, as "get /api/projects/{id}". */
  readonly routes: readonly string[];
  stop(): Promise<void>;
}

export interface StartOptions {
  /** Kinds of jobs besides the server's own. */
  readonly jobKinds?: (services: Services) => readonly JobHandler[];
  /** Called before the queue starts. */
  readonly prepare?: (services: Services) => Promise<void>;
  /** Time without a byte of a body after which a request is given up, ms. */
  readonly bodyIdleMs?: number;
  /** A folder of pages that is served besides the interface, under /extra. */
  readonly extraPages?: string;
}

/**
 * Starts Hone on the loopback address.
 * @throws Error in a sentence when the port is taken
 */
export async function startServer(config: Config, options: StartOptions = {}): Promise<RunningServer> {
  const log = pino({ level: config.logLevel });
  const { dataFolder } = config;
  await makePrivateFolder(dataFolder);
  const lock = await lockFolder(dataFolder);
  const undo: (() => unknown)[] = [() => lock.release()];
  try {
    await children.open(join(dataFolder, 'children'));
    for (const folder of ['media', 'copies', 'render-cache', 'exports', 'previews', 'tables']) {
      await mkdir(join(dataFolder, folder), { recursive: true });
    }
    const { database, close } = await openDatabase(dataFolder);
    undo.unshift(close);
    const bus = new EventBus();
    const mediaFolders = await MediaFolders.open(config, database);
    const services = assemble(config, mediaFolders, database, bus, log);
    const { queue, sources, copies, stretches, exports, importer, access } = services;
    for (const handler of options.jobKinds?.(services) ?? []) queue.register(handler);
    const onFault = (error: unknown): void =>
      log.error({ err: error }, 'a part of the start failed; the rest goes on');
    await sweep({ dataFolder, sources, copies, stretches, exports, queue, onFault }).catch(onFault);
    await options.prepare?.(services);

    let port = config.port;
    const token = config.asksForToken ? newToken() : undefined;
    const parts = { services, database, bus, log, portOf: () => port, token };
    const { app, routes } = application(parts, options);
    const server = createServer(app);
    // A page that rests keeps its connections: one closed at the moment it is used again would lose the request.
    server.keepAliveTimeout = KEEP_ALIVE_MS;
    // How long a request takes says nothing: an upload may take hours. Those that stop coming are given up (idleBodies).
    server.requestTimeout = 0;
    await listen(server, port);
    undo.unshift(async () => {
      server.closeAllConnections();
      await new Promise((resolve) => server.close(resolve));
    });
    port = (server.address() as AddressInfo).port;
    const url = `http://127.0.0.1:${port}`;
    await lock.announce(url);
    await queue.start();
    undo.unshift(() => queue.stop());
    const watcher = new SourceWatcher(sources, importer, bus, access, log);
    undo.unshift(() => watcher.stop());
    // Reading many files again takes a while; the page is there meanwhile.
    const caughtUp = importer
      .catchUp((error, { name }) =>
        log.warn({ err: error, source: name }, 'a source could not be read again'),
      )
      .catch(onFault)
      .then(() => watcher.start())
      .catch(onFault);
    const backups = new BackupClock(dataFolder, onFault);
    await backups.start().catch(onFault);
    undo.unshift(() => backups.stop());
    return {
      url: token === undefined ? url : `${url}/?token=${token}`,
      services,
      routes,
      stop: async () => {
        await caughtUp;
        for (const step of undo) await step();
      },
    };
  } catch (error) {
    for (const step of undo) await Promise.resolve(step()).catch(() => undefined);
    throw error;
  }
}

function assemble(
  config: Config,
  mediaFolders: MediaFolders,
  database: Database,
  bus: EventBus,
  log: Logger,
): Services {
  const projects = new ProjectStore(database, bus);
  const access = new MediaAccess(mediaFolders.paths);
  const sources = new SourceStore(database, bus, access);
  const copies = new CopyStore(database, bus);
  const stretches = new StretchStore(
    database,
    bus,
    new CacheFolders(database, join(config.dataFolder, 'render-cache')),
  );
  const exports = new ExportStore(database, bus);
  const tables = new TableStore(join(config.dataFolder, 'tables'));
  const queue = new SqliteQueue(database, bus, log);
  const importer = new Importer(sources, copies, queue, config, access);
  const folders = new Folders(mediaFolders, access);
  const simulation = new DriveSimulation(bus);
  const rigs = new RigStore(database);
  const limits = new MemoryLimits(rigs);
  const hardware = new FfmpegHardware(database, bus, rigs);
  const previews = previewFolder(config);
  const scratch = join(config.dataFolder, 'scratch');
  const orders = new CopyOrders(projects, copies, queue, copyFolder(config));
  queue.register(readHandler(sources, importer, orders));
  queue.register(hashHandler(sources));
  queue.register(damageHandler(sources, config.ffmpeg));
  queue.register(indexHandler(sources, config));
  queue.register(stripHandler(sources, config.ffmpeg, previews, scratch));
  queue.register(soundHandler(sources, config.ffmpeg, previews));
  queue.register(copyHandler(sources, copies, queue, limits, hardware, config));
  queue.register(likenessHandler(sources, copies, config));
  queue.register(
    stretchHandler({ sources, stretches, rigs, tables, limits, hardware, tools: config, scratch }),
  );
  queue.register(exportHandler({ sources, exports, tables, limits, tools: config, scratch }));
  return {
    config,
    projects,
    sources,
    copies,
    stretches,
    exports,
    tables,
    importer,
    orders,
    folders,
    access,
    simulation,
    rigs,
    limits,
    hardware,
    queue,
    sampler: new Sampler(),
  };
}

const copyFolder = ({ dataFolder }: Config): string => join(dataFolder, 'copies');
const previewFolder = ({ dataFolder }: Config): string => join(dataFolder, 'previews');

interface ApplicationParts {
  readonly services: Services;
  readonly database: Database;
  readonly bus: EventBus;
  readonly log: Logger;
  readonly portOf: () => number;
  readonly token: string | undefined;
}

function application(
  { services, database, bus, log, portOf, token }: ApplicationParts,
  { extraPages, bodyIdleMs }: StartOptions,
): { app: Express; routes: string[] } {
  const { config, projects, sources, copies, stretches, exports, tables, importer, folders } = services;
  const { simulation, rigs, limits, hardware, queue, sampler, orders } = services;
  const previews = previewFolder(config);
  const app = express();
  app.disable('x-powered-by');
  app.use(onlyOwner(), onlyOwnPage(portOf, config.extraOrigin), ...securityHeaders());
  if (token !== undefined) app.use(onlyWithToken(token, portOf));
  app.use(idleBodies(bodyIdleMs));
  app.use(pinoHttp({ logger: log, useLevel: 'debug' }));

  const api = express.Router();
  const started = Date.now();
  const noStore: RequestHandler = (_request, response, next) => {
    response.set('Cache-Control', 'no-store');
    next();
  };
  api.use(noStore, onlyDescribedTypes);
  api.get('/health', (_request, response) => {
    response.json({ status: 'ok', upSeconds: Math.round((Date.now() - started) / 1000) });
  });
  const description = openApi();
  api.get('/openapi.json', (_request, response) => {
    response.json(description);
  });
  api.get('/events', eventStream(bus));
  const mustExist: RequestHandler<{ projectId: string }> = async (request, _response, next) => {
    await projects.requireKnown(request.params.projectId);
    next();
  };
  api.use('/projects/:projectId', mustExist);
  api.use(runRoutes(new RunStore(database), sampler));
  api.use(rigRoutes({ rigs, projects, sources, config, limits, hardware, cacheFolders: stretches.folders }));
  api.use(jsonBody('8mb'));
  const { dataFolder } = config;
  const removal = new Removal({ projects, sources, copies, stretches, exports, queue, dataFolder });
  api.use(projectRoutes(projects, removal, new ProjectDuplicator(database, projects, importer)));
  api.use(
    sourceRoutes({
      projects,
      sources,
      importer,
      folders,
      search: new MediaSearch(services.access),
      orders,
      access: services.access,
      removal,
      uploadFolder: join(config.dataFolder, 'media'),
      previewFolder: previews,
    }),
  );
  const estimator = new CopyEstimator(config.ffmpeg, hardware, copyFolder(config));
  api.use(copyRoutes(sources, copies, orders, estimator, copyFolder(config)));
  api.use(renderCacheRoutes(projects, sources, stretches, queue, rigs));
  api.use(savedTuningRoutes(database));
  api.use(simulationRoutes(simulation));
  api.use(tableRoutes(tables));
  api.use(jobRoutes(queue));
  api.use(
    exportRoutes({
      projects,
      sources,
      exports,
      tables,
      limits,
      queue,
      ffmpeg: config.ffmpeg,
      folder: join(config.dataFolder, 'exports'),
    }),
  );
  api.use(nothingHere);

  app.use('/api', api);
  const media = express.Router();
  media.use(
    mediaFiles({
      sources,
      copies,
      stretches,
      exports,
      previews,
      simulation,
      triedFormats: triedFormatsFolder(config),
    }),
  );
  media.use(frameRoutes({ sources, stretches, ffmpeg: config.ffmpeg, simulation, limits, hardware }));
  media.use(effectFiles(tables));
  media.use(exportStripRoutes(exports, config.ffmpeg, config.dataFolder));
  app.use('/media', sandboxed, media, nothingHere);
  if (extraPages) app.use('/extra', express.static(extraPages));
  app.use(pages(config.webFolder, config.playerFolder));
  app.use(nothingHere);
  app.use(problemHandler(log, config.dataFolder));
  return { app, routes: [...routesOf(api, '/api'), ...routesOf(media, '/media')] };
}

function listen(server: Server, port: number): Promise<void> {
  return new Promise((resolve, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) => {
      const taken = error.code === 'EADDRINUSE';
      reject(
        new Error(
          taken
            ? `Port ${port} is in use, perhaps by another Hone. Stop it, or choose another with PORT.`
            : `Hone could not listen on port ${port}: ${error.message}`,
        ),
      );
    });
    server.listen(port, '127.0.0.1', () => resolve());
  });
}
