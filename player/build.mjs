// Bundles the player's workers and compiles its kernels into dist/assets.
import { execFileSync } from 'node:child_process';
import { mkdirSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';

const here = (path) => fileURLToPath(new URL(path, import.meta.url));
mkdirSync(here('dist/assets'), { recursive: true });
await build({
  entryPoints: {
    engine: here('engine/worker.ts'),
    decode: here('decode/worker.ts'),
    sound: here('sound/worker.ts'),
    worklet: here('sound/worklet.ts'),
    rig: here('rig/worker.ts'),
  },
  bundle: true,
  format: 'esm',
  target: 'es2022',
  minify: true,
  sourcemap: 'linked',
  outdir: here('dist/assets'),
  conditions: ['source'],
  logLevel: 'warning',
});
execFileSync(
  process.execPath,
  [
    here('../node_modules/assemblyscript/bin/asc.js'),
    here('kernels/index.ts'),
    '--config',
    here('kernels/asconfig.json'),
    '--target',
    'release',
  ],
  { stdio: 'inherit', cwd: here('kernels') },
);
