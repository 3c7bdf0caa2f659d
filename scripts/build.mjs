// Builds all workspaces, skipping what is up to date.
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = fileURLToPath(new URL('..', import.meta.url));
const bin = (name) => join(root, 'node_modules', '.bin', name);

function newest(folder) {
  let latest = 0;
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    if (['dist', 'node_modules', '.angular'].includes(entry.name)) continue;
    const path = join(folder, entry.name);
    latest = Math.max(latest, entry.isDirectory() ? newest(path) : statSync(path).mtimeMs);
  }
  return latest;
}

function step(name, folders, stamp, work) {
  const path = join(root, stamp);
  const since = Math.max(...folders.map((folder) => newest(join(root, folder))));
  if (existsSync(path) && statSync(path).mtimeMs > since) return;
  console.log(`Building ${name} …`);
  if (!work()) {
    console.error(`Building ${name} failed; the lines above say why.`);
    process.exit(1);
  }
  mkdirSync(join(path, '..'), { recursive: true });
  writeFileSync(path, '');
}

const run = (program, args, cwd = root) =>
  spawnSync(program, args, { cwd, stdio: 'inherit', env: { ...process.env, NG_CLI_ANALYTICS: 'false' } })
    .status === 0;

export function build() {
  const code = ['core', 'player', 'server', 'demo', 'bench', 'e2e'];
  step('the server and the player', code, 'core/dist/.built', () => run(bin('tsc'), ['-b']));
  step('the workers', ['core', 'player'], 'player/dist/.built', () =>
    run(process.execPath, ['player/build.mjs']),
  );
  step('the interface', ['core', 'player', 'web'], 'web/dist/.built', () =>
    run(bin('ng'), ['build'], join(root, 'web')),
  );
}

if (process.argv[1] === fileURLToPath(import.meta.url)) build();
