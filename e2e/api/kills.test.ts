import { execFileSync } from 'node:child_process';
import { mkdir, mkdtemp, readdir, rm, writeFile } from 'node:fs/promises';
import { request } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { Job, LightCopy, Project, Source } from '@hone/core/api';
import { configFrom, DamagedDatabaseError, offerRecovery, startServer } from '@hone/server';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { OwnProcess } from '../fixtures/own-process.js';

const root = fileURLToPath(new URL('../../', import.meta.url));

const isDecodable = (path: string): boolean => {
  const args = ['-v', 'error', '-xerror', '-i', path, '-f', 'null', '-'];
  return execFileSync('ffmpeg', args, { encoding: 'utf8', stdio: ['ignore', 'pipe', 'pipe'] }) === '';
};

describe('a server that is killed', () => {
  let folder: string;
  let server: OwnProcess;

  beforeEach(async () => {
    // Characters that mean something in addresses and in patterns of file names.
    folder = await mkdtemp(join(tmpdir(), 'hone #1? 100% '));
    await mkdir(join(folder, 'footage'));
    server = new OwnProcess({ HONE_DATA: join(folder, 'data'), HONE_MEDIA: join(folder, 'footage') });
  });

  afterEach(async () => {
    await server.end('SIGKILL');
    await rm(folder, { recursive: true, force: true });
  });

  const jobsOf = (id: string): Promise<Job[]> => server.call('GET', `projects/${id}/jobs`);
  const untilCopying = (id: string, share: number) =>
    expect
      .poll(async () => (await jobsOf(id)).find(({ kind }) => kind === 'copy')?.progress ?? 0, {
        interval: 20,
      })
      .toBeGreaterThan(share);

  async function withSource(): Promise<{ project: Project; source: Source }> {
    await server.start();
    const project = await server.call<Project>('POST', 'projects', { name: 'Killed' });
    const bytes = [
      '-f',
      'lavfi',
      '-i',
      'testsrc2=s=1920x1080:r=25:d=12',
      '-c:v',
      'libx264',
      '-preset',
      'ultrafast',
    ];
    execFileSync('ffmpeg', ['-v', 'error', ...bytes, join(folder, 'footage', 'long.mp4')]);
    const search = { names: ['long.mp4'], keepMissing: false, contents: [] };
    await server.call('POST', `projects/${project.id}/sources/search`, search);
    let source: Source | undefined;
    await expect
      .poll(async () => {
        [source] = await server.call<Source[]>('GET', `projects/${project.id}/sources`);
        return source?.state;
      })
      .toBe('ready');
    return { project, source: source! };
  }

  it('in the middle of a copy makes it anew, whole, and leaves nothing', async () => {
    const { project, source } = await withSource();
    await server.call('POST', `projects/${project.id}/copies`, { sourceIds: [source.id], divisor: 1 });
    for (const share of [0.2, 0.5]) {
      await untilCopying(project.id, share);
      await server.end('SIGKILL');
      await server.start();
    }
    await expect
      .poll(async () => (await server.call<LightCopy[]>('GET', `projects/${project.id}/copies`))[0]!.state, {
        timeout: 120_000,
      })
      .toBe('ready');
    const copies = await readdir(join(folder, 'data', 'copies'));
    expect(copies).toHaveLength(1);
    expect(isDecodable(join(folder, 'data', 'copies', copies[0]!))).toBe(true);
  });

  it('starts again although the source of a copy that was cut off is gone', async () => {
    const { project, source } = await withSource();
    await server.call('POST', `projects/${project.id}/copies`, { sourceIds: [source.id], divisor: 1 });
    await untilCopying(project.id, 0.1);
    await server.end('SIGKILL');
    await server.start();
    await untilCopying(project.id, 0.1);
    const removal = await fetch(`${server.url}/api/projects/${project.id}/sources/removal`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ sourceIds: [source.id] }),
    });
    expect(removal.status).toBe(204);
    await server.end('SIGKILL');
    await server.start();
    expect(await server.call('GET', `projects/${project.id}/sources`)).toEqual([]);
    expect(
      (await jobsOf(project.id)).filter(({ state }) => state === 'running' || state === 'waiting'),
    ).toEqual([]);
    for (const name of ['copies', 'previews']) expect(await readdir(join(folder, 'data', name))).toEqual([]);
  });

  it('leaves no part of an upload, and one that is stopped does not either', async () => {
    const { project } = await withSource();
    for (const signal of ['SIGKILL', 'SIGTERM'] as const) {
      const sent = request(`${server.url}/api/projects/${project.id}/uploads?name=cut.mp4`, {
        method: 'POST',
        headers: { 'Content-Length': 1_000_000 },
      });
      sent.on('error', () => undefined);
      sent.write(Buffer.alloc(200_000));
      const uploads = join(folder, 'data', 'media', project.id);
      await expect.poll(() => readdir(uploads).catch(() => [])).toHaveLength(1);
      await server.end(signal);
      sent.destroy();
      await server.start();
      expect(await readdir(uploads)).toEqual([]);
    }
  });

  it('is the only one on its data folder, and the second one says so', async () => {
    await server.start();
    const second = new OwnProcess({ HONE_DATA: join(folder, 'data'), HONE_MEDIA: join(folder, 'footage') });
    await expect(second.start()).rejects.toThrow(/in use by another Hone \(process \d+, at http:\/\/127/);
    await server.end('SIGKILL');
    await second.start();
    await second.end('SIGTERM');
  });

  it('offers the last backup of a database that was damaged', async () => {
    await server.start();
    const project = await server.call<Project>('POST', 'projects', { name: 'Before the damage' });
    await server.end('SIGTERM');
    // A backup is made at a start.
    await rm(join(folder, 'data', 'backups'), { recursive: true, force: true });
    await server.start();
    await expect
      .poll(async () =>
        (await readdir(join(folder, 'data', 'backups'))).filter((name) => name.endsWith('.db')),
      )
      .toHaveLength(1);
    await server.end('SIGTERM');
    await rm(join(folder, 'data', 'hone.db-wal'), { force: true });
    await writeFile(join(folder, 'data', 'hone.db'), Buffer.alloc(20_000, 7));
    const env = { ...process.env, HONE_DATA: join(folder, 'data'), HONE_LOG: 'silent', PORT: '0' };
    const config = { ...configFrom(env, root), port: 0 };
    await expect(startServer(config)).rejects.toThrow(DamagedDatabaseError);
    const recovery = await offerRecovery(config, 'The database is damaged.');
    const page = await (await fetch(recovery.url)).text();
    const [, id] = /value="(hone-[^"]+\.db)"/.exec(page)!;
    const post = {
      method: 'POST',
      body: new URLSearchParams({ backup: id! }),
      headers: { Connection: 'close' },
    };
    expect((await fetch(recovery.url, post)).status).toBe(200);
    expect(await recovery.restored).toContain('hone.db.damaged-');
    await recovery.stop();
    await server.start();
    expect(await server.call('GET', `projects/${project.id}`)).toMatchObject({ name: 'Before the damage' });
  });
});
