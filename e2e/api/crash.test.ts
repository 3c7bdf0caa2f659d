import { spawn, type ChildProcess } from 'node:child_process';
import { existsSync } from 'node:fs';
import { mkdtemp, readdir, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { Job, Source } from '@hone/core/api';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';

const main = fileURLToPath(new URL('../../demo/dist/main.js', import.meta.url));

describe('the demo after a crash', () => {
  let folder: string;
  let running: ChildProcess;
  let url: string;

  beforeAll(async () => {
    folder = await mkdtemp(join(tmpdir(), 'hone-crash-'));
  });

  afterAll(async () => {
    running.kill('SIGKILL');
    await rm(folder, { recursive: true, force: true });
  });

  async function start(): Promise<void> {
    const env = { ...process.env, HONE_DATA: folder, PORT: '0', HONE_LOG: 'silent' };
    running = spawn(process.execPath, [main], { env, stdio: ['ignore', 'pipe', 'inherit'] });
    url = await new Promise<string>((resolve, reject) => {
      running.stdout!.on('data', (data: Buffer) => {
        const found = /http:\/\/\S+/.exec(String(data));
        if (found) resolve(found[0]);
      });
      running.once('exit', () => reject(new Error('The demo did not start.')));
    });
  }

  const get = async <T>(path: string): Promise<T> => (await (await fetch(`${url}/api/${path}`)).json()) as T;
  const jobs = (): Promise<Job[]> => get('projects/slack-water/jobs');
  const camera = async (): Promise<Job> =>
    (await jobs()).find(({ kind, title }) => kind === 'footage' && title.includes('Second camera'))!;

  it('is usable at once, and makes its footage with progress', async () => {
    await start();
    const sources = await get<Source[]>('projects/slack-water/sources');
    expect(sources).toHaveLength(8);
    expect(sources.some(({ state }) => state === 'expected')).toBe(true);
    await expect.poll(async () => (await camera()).progress, { timeout: 60_000 }).toBeGreaterThan(0.05);
  });

  it('goes on with what was cut off, and leaves nothing half made', async () => {
    running.kill('SIGKILL');
    await new Promise((resolve) => running.once('exit', resolve));
    const media = join(folder, 'media', 'slack-water');
    expect(existsSync(join(media, 'Second camera - workshop.mp4'))).toBe(false);
    await start();
    expect((await camera()).state).not.toBe('failed');
    await expect.poll(async () => (await camera()).state, { timeout: 90_000 }).toBe('done');
    const source = (await get<Source[]>('projects/slack-water/sources')).find(({ name }) =>
      name.startsWith('Second'),
    )!;
    expect(source).toMatchObject({
      state: 'ready',
      facts: { picture: { frameCount: 225, size: { width: 1920, height: 1080 } } },
    });
    const parts = (await readdir(media)).filter(
      (name) => name.startsWith('Second') && name.endsWith('.part'),
    );
    expect(parts).toEqual([]);
  });
});
