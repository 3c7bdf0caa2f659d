// Starts everything with live reload: the compiler and the server watch, and the page reloads at http://127.0.0.1:4200.
import { spawnSync } from 'node:child_process';
import concurrently from 'concurrently';
import { build } from './build.mjs';

build();
spawnSync(process.execPath, ['player/build.mjs'], { stdio: 'inherit' });
const { result } = concurrently(
  [
    { name: 'types', command: 'tsc -b --watch --preserveWatchOutput' },
    {
      name: 'player',
      command: 'node --watch-path=player --watch-path=core --watch-preserve-output player/build.mjs',
    },
    {
      name: 'server',
      command: 'node --watch demo/dist/main.js',
      env: { HONE_DEV_ORIGIN: 'http://127.0.0.1:4200' },
    },
    { name: 'web', command: 'ng serve', cwd: 'web' },
  ],
  { killOthersOn: ['failure'], prefix: 'name' },
);
await result.catch(() => process.exit(1));
