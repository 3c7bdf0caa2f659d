import { fileURLToPath } from 'node:url';
import { configFrom, startServer } from '@hone/server';

// A server of its own process, to be killed.
const root = fileURLToPath(new URL('../../', import.meta.url));
try {
  const server = await startServer(configFrom(process.env, root));
  console.log(server.url);
} catch (error) {
  console.error(error);
  process.exit(1);
}
