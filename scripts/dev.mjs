// Starts everything with live reload: the compiler and the server watch, and the page reloads at http://127.0.0.1:4200.
import { delimiter } from 'node:path';
import { fileURLToPath } from 'node:url';
import concurrently from 'concurrently';
import { build } from './build.mjs';

const bin = fileURLToPath(new URL('../node_modules/.bin', import.meta.url));
process.env.PATH = `${bin}${delimiter}${process.env.PATH}`;

// What the workers are made of; not the folders that building them writes to.
const watched = ['decode', 'engine', 'sound', 'shared', 'kernels'].map((folder) => `player/${folder}`);
watched.push('core/pacing', 'core/playback', 'core/render', 'core/time');

build();
const { result } = concurrently(
  [
    { name: 'types', command: 'tsc -b --watch --preserveWatchOutput' },
    {
      name: 'player',
      command: `node ${watched.map((folder) => `--watch-path=${folder}`).join(' ')} --watch-preserve-output player/build.mjs`,
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
