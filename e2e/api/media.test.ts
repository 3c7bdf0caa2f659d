import { execFileSync } from 'node:child_process';
import { open, readFile, rm, stat, symlink, truncate, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { FolderEntry, Problem, Project, Source } from '@hone/core/api';
import { makeCodedClip } from '@hone/demo';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { TestServer } from '../fixtures/server.js';

const clip = { source: 1, width: 320, height: 180, rate: '25', frames: 50 };

describe('media of one’s own', () => {
  let server: TestServer;
  let project: Project;

  beforeAll(async () => {
    server = await TestServer.start();
    const { footage } = server;
    await makeCodedClip({ ...clip, path: join(footage, 'good.mp4') });
    await makeCodedClip({ ...clip, path: join(footage, '-y odd: näme; $(x) 100%.mp4') });
    await writeFile(join(footage, 'empty.mp4'), '');
    await writeFile(join(footage, 'words.mov'), 'these are words and not a film '.repeat(2000));
    execFileSync('ffmpeg', [
      '-v',
      'error',
      '-f',
      'lavfi',
      '-t',
      '2',
      '-i',
      'sine',
      join(footage, 'sound.wav'),
    ]);
    const tiny = ['-f', 'lavfi', '-t', '1', '-i', 'color=s=8x8', '-c:v', 'ffv1', join(footage, 'tiny.mkv')];
    const vast = ['-f', 'lavfi', '-t', '1', '-i', 'color=s=17000x16:r=2', '-c:v', 'ffv1'];
    execFileSync('ffmpeg', ['-v', 'error', ...tiny]);
    execFileSync('ffmpeg', ['-v', 'error', ...vast, join(footage, 'vast.mkv')]);
    const fast = ['-c:v', 'libx264', '-g', '25', '-movflags', '+faststart', '-f', 'mp4'];
    await makeCodedClip({ ...clip, frames: 200, path: join(footage, 'cut off.mp4'), encoder: fast });
    await truncate(
      join(footage, 'cut off.mp4'),
      Math.floor(((await stat(join(footage, 'cut off.mp4'))).size * 2) / 3),
    );
    await makeCodedClip({ ...clip, path: join(footage, 'no index.mp4') });
    await truncate(join(footage, 'no index.mp4'), (await stat(join(footage, 'no index.mp4'))).size - 2000);
    await writeFile(join(server.folder, 'secret.mp4'), await readFile(join(footage, 'good.mp4')));
    await symlink(join(server.folder, 'secret.mp4'), join(footage, 'link.mp4'));
    project = (await server.call<Project>('POST', 'projects', { name: 'Own' })).body;
  });

  afterAll(() => server.stop());

  async function folder(): Promise<FolderEntry> {
    const top = await server.get<FolderEntry>('folders');
    const entry = top.children.find(({ label }) => label.endsWith('footage'))!;
    return server.get(`folders/${entry.id}`);
  }

  async function add(...names: string[]): Promise<Source[]> {
    const { files } = await folder();
    const fileIds = names.map((name) => files.find((file) => file.name === name)!.id);
    const { body } = await server.call<Source[]>('POST', `projects/${project.id}/sources`, { fileIds });
    await server.settle(project.id);
    const read = await server.get<Source[]>(`projects/${project.id}/sources`);
    return body.map(({ id }) => read.find((source) => source.id === id)!);
  }

  it('is offered by folder, without what a link points to elsewhere', async () => {
    const names = (await folder()).files.map(({ name }) => name);
    expect(names).toContain('good.mp4');
    expect(names).not.toContain('link.mp4');
  });

  it('is not taken by a name or identifier that was not given out', async () => {
    const made = { fileIds: ['/etc/passwd'] };
    expect((await server.call('POST', `projects/${project.id}/sources`, made)).status).toBe(400 + 4);
    expect((await server.call('GET', 'folders/..%2f..%2fetc')).status).toBe(404);
    expect((await server.call('GET', `folders/${'0'.repeat(32)}`)).status).toBe(404);
  });

  it('gets a clear sentence for each file that cannot be used, and the rest goes on', async () => {
    const names = [
      'empty.mp4',
      'words.mov',
      'cut off.mp4',
      'no index.mp4',
      'good.mp4',
      'sound.wav',
      'tiny.mkv',
      'vast.mkv',
    ];
    const [empty, words, cutOff, noIndex, good, sound, tiny, vast] = await add(...names);
    expect(tiny!.problem).toContain('8 × 8 pixels');
    expect(vast!.problem).toContain('17000 × 16 pixels');
    expect(empty).toMatchObject({ state: 'unreadable', problem: expect.stringContaining('empty') as string });
    expect(words!.problem).toContain('not media');
    expect(cutOff!.problem).toContain('cut off');
    expect(noIndex!.problem).toContain('cut off');
    expect(good!.state).toBe('ready');
    expect(sound).toMatchObject({ state: 'ready', facts: { picture: null, sound: { channels: 1 } } });
  });

  it('may have any name', async () => {
    const [odd] = await add('-y odd: näme; $(x) 100%.mp4');
    expect(odd).toMatchObject({ state: 'ready', facts: { picture: { frameCount: 50 } } });
  });

  it('gives a new project no size and rate before a clip is on the timeline', async () => {
    const { timeline, takesFirstShape } = await server.get<Project>(`projects/${project.id}`);
    expect(takesFirstShape).toBe(true);
    expect(timeline.tracks.every(({ clips }) => clips.length === 0)).toBe(true);
  });

  it('can be uploaded, and arrives as it was', async () => {
    const bytes = await readFile(join(server.footage, 'good.mp4'));
    const path = `${server.url}/api/projects/${project.id}/uploads?name=${encodeURIComponent('../../up load.mp4')}`;
    const reply = await fetch(path, {
      method: 'POST',
      body: bytes,
      headers: { 'Content-Type': 'application/octet-stream' },
    });
    expect(reply.status).toBe(201);
    const source = (await reply.json()) as Source;
    expect(source.state).toBe('ready');
    expect(source.folder.startsWith(join(server.folder, 'data', 'media'))).toBe(true);
    const delivered = Buffer.from(
      await (await fetch(`${server.url}/media/sources/${source.id}`)).arrayBuffer(),
    );
    expect(delivered.equals(bytes)).toBe(true);
  });

  it('is refused by upload without a length', async () => {
    const reply = await fetch(`${server.url}/api/projects/${project.id}/uploads?name=`, {
      method: 'POST',
      body: 'x',
    });
    expect(reply.status).toBe(400);
  });

  it('is delivered in ranges, as RFC 9110 has it', async () => {
    const source = (await server.get<Source[]>(`projects/${project.id}/sources`)).find(
      ({ name }) => name === 'good.mp4',
    )!;
    const url = `${server.url}/media/sources/${source.id}`;
    const all = await readFile(join(server.footage, 'good.mp4'));
    const range = (value: string): Promise<Response> => fetch(url, { headers: { Range: value } });
    const middle = await range('bytes=100-199');
    expect(middle.status).toBe(206);
    expect(middle.headers.get('content-range')).toBe(`bytes 100-199/${all.length}`);
    expect(Buffer.from(await middle.arrayBuffer()).equals(all.subarray(100, 200))).toBe(true);
    const last = await range('bytes=-10');
    expect(Buffer.from(await last.arrayBuffer()).equals(all.subarray(-10))).toBe(true);
    const beyond = await range(`bytes=${all.length}-`);
    expect(beyond.status).toBe(416);
    expect((await fetch(url)).headers.get('accept-ranges')).toBe('bytes');
  });

  it('that is gone says so, and comes back', async () => {
    const path = join(server.footage, 'good.mp4');
    const bytes = await readFile(path);
    const good = async (): Promise<Source> =>
      (await server.get<Source[]>(`projects/${project.id}/sources`)).find(({ name }) => name === 'good.mp4')!;
    await rm(path);
    expect(await good()).toMatchObject({
      state: 'missing',
      problem: expect.stringContaining(path) as string,
    });
    const handle = await open(path, 'w');
    await handle.writeFile(bytes);
    await handle.close();
    await server.untilSource(project.id, 'good.mp4', ({ state }) => state === 'ready');
  });

  it('is not delivered by unknown identifiers', async () => {
    const reply = await fetch(`${server.url}/media/sources/..%2f..%2fetc%2fpasswd`);
    expect(reply.status).toBe(404);
    expect(reply.headers.get('content-type')).toContain('application/problem+json');
    expect(((await reply.json()) as Problem).detail).toContain('not known');
  });
});
