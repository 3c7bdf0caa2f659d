import { mkdir, mkdtemp, realpath, rm, symlink, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { plainFile } from '../ffmpeg/input.js';
import { MediaAccess } from './media-access.js';

describe('what may be read as media', () => {
  let outside: string;
  let root: string;
  let access: MediaAccess;

  beforeAll(async () => {
    const folder = await realpath(await mkdtemp(join(tmpdir(), 'hone-access-')));
    outside = join(folder, 'outside');
    root = join(folder, 'media');
    await mkdir(outside);
    await mkdir(join(root, 'card', '.trash'), { recursive: true });
    await mkdir(join(folder, 'media beside'));
    for (const path of ['card/a.mp4', 'card/notes.txt', '.hidden.mp4', 'card/.trash/b.mp4'])
      await writeFile(join(root, path), 'x');
    await writeFile(join(outside, 'secret.mp4'), 'x');
    await writeFile(join(folder, 'media beside', 'c.mp4'), 'x');
    for (let still = 1; still <= 5; still++) await writeFile(join(root, `shot${still}0.png`), 'x');
    await symlink(join(outside, 'secret.mp4'), join(root, 'link.mp4'));
    await symlink(join(root, 'card', 'a.mp4'), join(root, 'inner.mp4'));
    await symlink(join(root, 'card', 'notes.txt'), join(root, 'renamed.mp4'));
    await symlink(outside, join(root, 'elsewhere'));
    await symlink(join(outside, 'secret.mp4'), join(root, 'row03.png'));
    for (const still of [1, 2, 4, 5]) await writeFile(join(root, `row0${still}.png`), 'x');
    access = new MediaAccess(() => [root]);
  });

  afterAll(() => rm(join(root, '..'), { recursive: true }));

  const take = (path: string) => access.resolve(plainFile(path));
  const refused = (path: string, why: RegExp) => expect(take(path)).rejects.toThrow(why);

  it('is what lies in a media folder, also by a link within it, and comes by its real path', async () => {
    const real = join(root, 'card', 'a.mp4');
    expect(await take(join(root, 'card', 'a.mp4'))).toMatchObject({ path: real });
    expect(await take(join(root, 'inner.mp4'))).toMatchObject({ path: real });
  });

  it('is nothing that lies elsewhere, whatever leads to it', async () => {
    await refused(join(root, 'link.mp4'), /outside the media folders/);
    await refused(join(root, 'elsewhere', 'secret.mp4'), /outside/);
    await refused(join(root, '..', 'outside', 'secret.mp4'), /outside/);
    await refused(join(root, '..', 'media beside', 'c.mp4'), /outside/);
    await refused('/etc/passwd', /outside/);
    await refused(join(root, '..', 'outside', 'not there.mp4'), /outside/);
  });

  it('is nothing hidden and nothing that is no medium by its name, also behind a link', async () => {
    await refused(join(root, '.hidden.mp4'), /hidden/);
    await refused(join(root, 'card', '.trash', 'b.mp4'), /hidden/);
    await refused(join(root, 'card', 'notes.txt'), /no ending of a media file/);
    await refused(join(root, 'renamed.mp4'), /no ending/);
    await refused(join(root, 'card'), /no ending|no file/);
    await refused(join(root, '..'), /outside/);
  });

  it('are rows of stills that lie in one folder', async () => {
    const stills = (first: number) => ({ first, count: 5, rate: { num: 24, den: 1 } });
    const row = { path: join(root, 'row%02d.png'), stills: stills(1) };
    await expect(access.resolve(row)).rejects.toThrow(/link to another folder/);
  });

  it('may be what is not there yet, in a media folder', async () => {
    expect(await take(join(root, 'card', 'to come.mov'))).toMatchObject({
      path: join(root, 'card', 'to come.mov'),
    });
  });
});
