import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { mkdir } from 'node:fs/promises';
import { join } from 'node:path';
import { openApi } from '@hone/core/api';
import express, { json, type Express, type RequestHandler } from 'express';
import { pino, type Logger } from 'pino';
import { pinoHttp } from 'pino-http';
import type { Config } from './config.js';
import { CopyEstimator } from './copies/estimate.js';
import { CopyStore } from './copies/copy-store.js';
import { likenessHandler } from './copies/likeness.js';
import { copyHandler } from './copies/make-copy.js';
import { copyRoutes } from './copies/routes.js';
import { ExportStore } from './exports/export-store.js';
import { exportHandler } from './exports/make-export.js';
import { exportRoutes } from './exports/routes.js';
import { TableStore } from './effects/table-store.js';
import { effectFiles, tableRoutes } from './effects/routes.js';
import { EventBus, eventStream } from './http/events.js';
import { onlyOwnPage, securityHeaders } from './http/guard.js';
import { pages } from './http/pages.js';
import { nothingHere, problemHandler } from './http/problems.js';
import { routesOf } from './http/routes-of.js';
import type { JobHandler, JobQueue } from './jobs/queue.js';
import { jobRoutes } from './jobs/routes.js';
import { SqliteQueue } from './jobs/sqlite-queue.js';
import { DriveSimulation } from './drives/simulation.js';
import { simulationRoutes } from './drives/routes.js';
import { mediaFiles } from './media/files.js';
import { frameRoutes } from './media/frame-routes.js';
import { indexHandler } from './media/index-job.js';
import { soundHandler } from './media/sound-job.js';
import { stripHandler } from './media/strip-job.js';
import { SourceWatcher } from './media/watch.js';
import { Folders } from './media/folders.js';
import { hashHandler } from './media/hash.js';
import { Importer } from './media/import.js';
import { sourceRoutes } from './media/routes.js';
import { SourceStore } from './media/source-store.js';
import { ProjectStore } from './projects/project-store.js';
import { projectRoutes } from './projects/routes.js';
import { MemoryLimits } from './rig/limits.js';
import { RigStore } from './rig/rig-store.js';
import { rigRoutes } from './rig/routes.js';
import { Sampler } from './rig/sampler.js';
import { runRoutes } from './runs/routes.js';
import { RunStore } from './runs/run-store.js';
import { openDatabase, type Database } from './store/database.js';

const KEEP_ALIVE_MS = 600_000;

/** What the parts of the server are made of, for whoever adds a part. */
export interface Services {
  readonly config: Config;
  readonly projects: ProjectStore;
  readonly sources: SourceStore;
  readonly copies: CopyStore;
  readonly exports: ExportStore;
  readonly tables: TableStore;
  readonly importer: Importer;
  readonly folders: Folders;
  readonly simulation: DriveSimulation;
  readonly rigs: RigStore;
  readonly limits: MemoryLimits;
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
  /** A folder of pages that is served besides the interface, under /extra. */
  readonly extraPages?: string;
}

/**
 * Starts Hone on the loopback address.
 * @throws Error in a sentence when the port is taken
 */
export async function startServer(config: Config, options: StartOptions = {}): Promise<RunningServer> {
  const log = pino({ level: config.logLevel });
  for (const folder of ['media', 'copies', 'exports', 'previews', 'tables']) {
    await mkdir(join(config.dataFolder, folder), { recursive: true });
  }
  const { database, close } = await openDatabase(config.dataFolder);
  const bus = new EventBus();
  const services = assemble(config, database, bus, log);
  const own = services.queue;
  for (const handler of options.jobKinds?.(services) ?? []) own.register(handler);
  await options.prepare?.(services);

  let port = config.port;
  const { app, routes } = application(services, database, bus, log, () => port, options.extraPages);
  const server = createServer(app);
  // A page that rests keeps its connections: one closed at the moment it is used again would lose the request.
  server.keepAliveTimeout = KEEP_ALIVE_MS;
  await listen(server, port);
  port = (server.address() as AddressInfo).port;
  await own.start();
  const { sources, importer, folders } = services;
  await importer.catchUp();
  const watcher = new SourceWatcher(sources, importer, bus, () => folders.realRoots(), log);
  await watcher.start();
  return {
    url: `http://127.0.0.1:${port}`,
    services,
    routes,
    stop: async () => {
      await watcher.stop();
      await own.stop();
      server.closeAllConnections();
      await new Promise((resolve) => server.close(resolve));
      close();
    },
  };
}

function assemble(config: Config, database: Database, bus: EventBus, log: Logger): Services {
  const projects = new ProjectStore(database, bus);
  const sources = new SourceStore(database, bus);
  const copies = new CopyStore(database, bus);
  const exports = new ExportStore(database, bus);
  const tables = new TableStore(join(config.dataFolder, 'tables'));
  const queue = new SqliteQueue(database, bus, log);
  const importer = new Importer(sources, copies, queue, config);
  const folders = new Folders(config.mediaFolders);
  const simulation = new DriveSimulation(bus);
  const rigs = new RigStore(database);
  const limits = new MemoryLimits(rigs);
  const previews = previewFolder(config);
  queue.register(hashHandler(sources));
  queue.register(indexHandler(sources, config));
  queue.register(stripHandler(sources, config.ffmpeg, previews));
  queue.register(soundHandler(sources, config.ffmpeg, previews));
  queue.register(copyHandler(sources, copies, queue, limits, config));
  queue.register(likenessHandler(sources, copies, config.ffmpeg));
  queue.register(exportHandler({ sources, exports, tables, limits, tools: config }));
  return {
    config,
    projects,
    sources,
    copies,
    exports,
    tables,
    importer,
    folders,
    simulation,
    rigs,
    limits,
    queue,
    sampler: new Sampler(),
  };
}

const previewFolder = ({ dataFolder }: Config): string => join(dataFolder, 'previews');

function application(
  services: Services,
  database: Database,
  bus: EventBus,
  log: Logger,
  portOf: () => number,
  extraPages: string | undefined,
): { app: Express; routes: string[] } {
  const { config, projects, sources, copies, exports, tables, importer, folders, simulation } = services;
  const { rigs, limits, queue, sampler } = services;
  const previews = previewFolder(config);
  const app = express();
  app.disable('x-powered-by');
  app.use(onlyOwnPage(portOf, config.extraOrigin), ...securityHeaders());
  app.use(pinoHttp({ logger: log, useLevel: 'debug' }));

  const api = express.Router();
  const started = Date.now();
  const noStore: RequestHandler = (_request, response, next) => {
    response.set('Cache-Control', 'no-store');
    next();
  };
  api.use(noStore);
  api.get('/health', (_request, response) => {
    response.json({ status: 'ok', upSeconds: Math.round((Date.now() - started) / 1000) });
  });
  const description = openApi();
  api.get('/openapi.json', (_request, response) => {
    response.json(description);
  });
  api.get('/events', eventStream(bus));
  api.use(runRoutes(new RunStore(database), sampler));
  api.use(rigRoutes(rigs, sources, config));
  api.use(json({ limit: '8mb' }));
  api.use(projectRoutes(projects));
  api.use(
    sourceRoutes({
      projects,
      sources,
      importer,
      folders,
      uploadFolder: join(config.dataFolder, 'media'),
      previewFolder: previews,
    }),
  );
  const estimator = new CopyEstimator(config.ffmpeg, join(config.dataFolder, 'copies'));
  api.use(copyRoutes(sources, copies, queue, estimator, join(config.dataFolder, 'copies')));
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
  media.use(mediaFiles(sources, copies, exports, previews, simulation));
  media.use(frameRoutes(sources, config.ffmpeg, simulation, limits));
  media.use(effectFiles(tables));
  app.use('/media', media, nothingHere);
  if (extraPages) app.use('/extra', express.static(extraPages));
  app.use(pages(config.webFolder, config.playerFolder));
  app.use(nothingHere);
  app.use(problemHandler(log));
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
