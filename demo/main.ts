import { fileURLToPath } from 'node:url';
import { configFrom, startServer } from '@hone/server';
import { DEMO_PROJECT, footageHandler, prepareDemo } from './demo-project.js';

const root = fileURLToPath(new URL('../../', import.meta.url));

try {
  const server = await startServer(configFrom(process.env, root), {
    jobKinds: (services) => [footageHandler(services)],
    prepare: (services) => prepareDemo(services, DEMO_PROJECT),
  });
  console.log(`Hone runs at ${server.url}\nStop it with Ctrl+C.`);
  const stop = (): void => {
    void server.stop().then(() => process.exit(0));
  };
  process.once('SIGINT', stop);
  process.once('SIGTERM', stop);
} catch (error) {
  console.error(error instanceof Error ? error.message : error);
  process.exit(1);
}
