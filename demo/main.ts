import { fileURLToPath } from 'node:url';
import {
  configFrom,
  DamagedDatabaseError,
  offerRecovery,
  startServer,
  type Config,
  type RunningServer,
  type StartOptions,
} from '@hone/server';
import { DEMO_PROJECT, footageHandler, prepareDemo } from './demo-project.js';

const root = fileURLToPath(new URL('../../', import.meta.url));

// A fault in one request or job must not end the others; it is logged, and the server continues.
process.on('unhandledRejection', (error) => console.error('A fault that nothing handled:', error));

/** Starts Hone; a damaged database is offered for recovery first. */
async function start(config: Config): Promise<RunningServer> {
  const options: StartOptions = {
    jobKinds: (services) => [footageHandler(services)],
    prepare: (services) => prepareDemo(services, DEMO_PROJECT),
  };
  try {
    return await startServer(config, options);
  } catch (error) {
    if (!(error instanceof DamagedDatabaseError)) throw error;
    const recovery = await offerRecovery(config, error.message);
    console.log(`${error.message} Choose a backup at ${recovery.url}.`);
    const kept = await recovery.restored;
    await recovery.stop();
    console.log(`The damaged database is kept at ${kept}.`);
    return startServer(config, options);
  }
}

try {
  const server = await start(configFrom(process.env, root));
  console.log(`Hone runs at ${server.url}\nStop it with Ctrl+C.`);
  let isStopping = false;
  const stop = (): void => {
    // Ctrl+C reaches every process of the terminal, and those that pass it on send it once more.
    if (isStopping) return;
    isStopping = true;
    server.stop().then(
      () => process.exit(0),
      (error: unknown) => {
        console.error(error);
        process.exit(1);
      },
    );
  };
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const) process.on(signal, stop);
} catch (error) {
  console.error(error instanceof Error ? error.message : error);
  process.exit(1);
}
