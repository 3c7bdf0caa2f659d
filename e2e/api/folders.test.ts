import { createHash } from 'node:crypto';
import { mkdir, readFile, rename, symlink, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { DroppedReply, FolderEntry, Problem, Project, Source } from '@hone/core/api';
import { makeCodedClip } from '@hone/demo';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { TestServer } from '../fixtures/server.js';

const CLIP = { width: 320, height: 180, rate: '24', frames: 12, sound: false };

/** Sampled hash as core/media describes it, computed from the whole file. */
async function sampledHash(path: string): Promise<string> {
  const file = await readFile(path);
  const hash = createHash('sha256').update(String(file.length));
  for (const quarter of [0, 1, 2, 3, 4]) {
    const at = Math.floor((Math.max(0, file.length - 65_536) * quarter) / 4);
    hash.update(file.subarray(at, at + 65_536));
  }
  return hash.digest('hex');
}

describe('folders of this machine', () => {
  let server: TestServer;
  let project: Project;
  let home: string;
  const homeBefore = process.env['HOME'];

  beforeAll(async () => {
    server = await TestServer.start();
    home = join(server.folder, 'home');
    for (const folder of ['shoot', '.hidden', 'empty', 'stills'])
      await mkdir(join(home, folder), { recursive: true });
    process.env['HOME'] = home;
    for (const [index, name] of ['one.mp4', 'two.mp4'].entries())
      await makeCodedClip({ ...CLIP, source: index + 1, path: join(home, 'shoot', name) });
    await writeFile(join(home, 'shoot', 'notes.txt'), 'words');
    await writeFile(join(home, 'shoot', 'still.png'), 'one image');
    for (const name of ['row01', 'row02', 'row03', 'row04', 'row05', 'single'])
      await writeFile(join(home, 'stills', `${name}.png`), 'one image');
    await symlink('/etc', join(home, 'elsewhere'));
    project = (await server.call<Project>('POST', 'projects', { name: 'Folders' })).body;
  });

  afterAll(async () => {
    process.env['HOME'] = homeBefore;
    await server.stop();
  });

  const top = (): Promise<FolderEntry> => server.get('folders');
  async function open(...labels: string[]): Promise<FolderEntry> {
    let entry = await top();
    for (const label of labels) {
      const child = entry.children.find((each) => each.label === label);
      entry = await server.get(`folders/${child!.id}`);
    }
    return entry;
  }
  const sources = (): Promise<Source[]> => server.get(`projects/${project.id}/sources`);

  it('begin with media folders, home and drives, and say how much footage is in each', async () => {
    const { children } = await top();
    expect(children.map(({ label, kind }) => [label, kind])).toEqual(
      expect.arrayContaining([
        [server.footage, 'media'],
        [home, 'home'],
      ]),
    );
    const inHome = await open(home);
    expect(inHome.children.map(({ label, mediaFiles }) => [label, mediaFiles])).toEqual([
      ['empty', 0],
      ['shoot', 2],
      ['stills', 1],
    ]);
    expect(inHome.unusable).toEqual([{ name: 'elsewhere', problem: 'It is a link to another folder.' }]);
  });

  it('list every file, with the reason where it cannot be used', async () => {
    const { files, unusable } = await open(home, 'shoot');
    expect(files.map(({ name }) => name)).toEqual(['one.mp4', 'two.mp4']);
    expect(unusable.map(({ name }) => name)).toEqual(['notes.txt', 'still.png']);
    for (const { problem } of unusable) expect(problem).toMatch(/\.txt hold no media|numbered images/);
    // A single image beside a row of them is not taken for one of the row.
    const stills = await open(home, 'stills');
    expect(stills.files.map(({ name }) => name)).toEqual(['row01–05.png']);
    expect(stills.unusable.map(({ name }) => name)).toEqual(['single.png']);
  });

  it('become media folders by choosing a file in them, and stay so after a restart', async () => {
    const { files } = await open(home, 'shoot');
    const { status } = await server.call('POST', `projects/${project.id}/sources`, {
      fileIds: [files[0]!.id],
    });
    expect(status).toBe(201);
    await server.settle(project.id);
    expect((await sources()).map(({ name, state }) => [name, state])).toEqual([['one.mp4', 'ready']]);
    await server.restart();
    const added = (await top()).children.find(({ isAdded }) => isAdded);
    expect(added).toMatchObject({ label: join(home, 'shoot'), kind: 'media', mediaFiles: 2 });
    expect((await sources())[0]!.state).toBe('ready');
  });

  it('can be taken away, and are added by their path', async () => {
    const added = (await top()).children.find(({ isAdded }) => isAdded)!;
    expect((await server.call('DELETE', `folders/${added.id}`)).status).toBe(204);
    expect((await top()).children.some(({ isAdded }) => isAdded)).toBe(false);
    const configured = (await top()).children.find(({ label }) => label === server.footage)!;
    expect((await server.call('DELETE', `folders/${configured.id}`)).status).toBe(409);
    const { status, body } = await server.call<FolderEntry>('POST', 'folders', { path: join(home, 'shoot') });
    expect(status).toBe(201);
    expect(body.files).toHaveLength(2);
    expect((await top()).children.some(({ isAdded }) => isAdded)).toBe(true);
  });

  it.each([
    ['/', /whole system drive/],
    ['shoot', /no whole path/],
    ['/not/there', /Check the path/],
  ])('are refused where %s is named', async (path, why) => {
    const { status, body } = await server.call<Problem>('POST', 'folders', { path });
    expect(status).toBe(400);
    expect(body.detail).toMatch(why);
  });

  it('are searched whatever their names, where they are media folders', async () => {
    await mkdir(join(server.footage, 'Library'));
    await makeCodedClip({ ...CLIP, source: 3, path: join(server.footage, 'Library', 'gulls.mp4') });
    const search = { names: ['gulls'], keepMissing: false };
    const { body } = await server.call<Source[]>('POST', `projects/${project.id}/sources/search`, search);
    expect(body.map(({ name, folder }) => [name, folder])).toEqual([
      ['gulls.mp4', join(server.footage, 'Library')],
    ]);
    await server.settle(project.id);
  });

  it('link what was dropped where it lies, by size and content, and copy nothing', async () => {
    const path = join(home, 'shoot', 'two.mp4');
    const renamed = join(home, 'empty', 'A001.mp4');
    const describe = async (name: string, of: string, bytes: number) => ({
      ...{ name, bytes },
      sampledHash: await sampledHash(of),
    });
    const { bytes } = (await open(home, 'shoot')).files.find(({ name }) => name === 'two.mp4')!;
    await rename(path, renamed);
    const files = [
      await describe('two.mp4', renamed, bytes),
      await describe('other.mp4', renamed, bytes + 1),
      { name: 'notes.txt', bytes: 5, sampledHash: '0'.repeat(64) },
    ];
    const { body } = await server.call<DroppedReply[]>('POST', `projects/${project.id}/sources/dropped`, {
      files,
    });
    expect(body.map(({ name, source, problem }) => [name, source?.folder ?? null, problem !== null])).toEqual(
      [
        ['two.mp4', join(home, 'empty'), false],
        ['other.mp4', null, false],
        ['notes.txt', null, true],
      ],
    );
    await server.settle(project.id);
    expect((await sources()).every(({ state }) => state === 'ready')).toBe(true);
  });
});

describe('projects', () => {
  let server: TestServer;

  beforeAll(async () => {
    server = await TestServer.start();
  });

  afterAll(() => server.stop());

  it('are duplicated with their sources, and listed with picture and length', async () => {
    const path = join(server.footage, 'a.mp4');
    await makeCodedClip({ ...CLIP, source: 1, path });
    const { body: first } = await server.call<Project>('POST', 'projects', { name: 'First' });
    const [source] = await server.addSources(first.id, [path]);
    await server.settle(first.id);
    const clip = { id: 'c', name: 'a', sourceId: source!.id, start: 0, length: 12, enabled: true };
    const timeline = { ...first.timeline, tracks: [...first.timeline.tracks] };
    timeline.tracks[0] = { ...timeline.tracks[0]!, clips: [{ ...clip, sourceIn: { num: 0, den: 1 } }] };
    await server.setTimeline(first.id, timeline);
    const { status, body: copy } = await server.call<Project>('POST', `projects/${first.id}/duplicate`);
    expect(status).toBe(201);
    await server.settle(copy.id);
    const [own] = await server.get<Source[]>(`projects/${copy.id}/sources`);
    expect(own).toMatchObject({ name: 'a.mp4', state: 'ready', strip: source!.strip ?? expect.anything() });
    expect(own!.id).not.toBe(source!.id);
    expect(copy.timeline.tracks[0]!.clips[0]!.sourceId).toBe(own!.id);
    const entries =
      await server.get<{ name: string; frames: number; picture: object; lastRun: null }[]>('projects');
    expect(entries.map(({ name, frames }) => [name, frames])).toEqual([
      ['First', 12],
      ['First copy', 12],
    ]);
    expect(entries[1]).toMatchObject({ picture: { sourceId: own!.id }, lastRun: null });
    expect((await fetch(`${server.url}/api/sources/${own!.id}/packets`)).status).toBe(200);
    // What becomes of one does not touch the other.
    await server.call('DELETE', `projects/${first.id}`);
    expect((await server.get<Source[]>(`projects/${copy.id}/sources`))[0]!.state).toBe('ready');
  });
});
