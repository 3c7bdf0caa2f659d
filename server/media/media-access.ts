import { realpath, stat } from 'node:fs/promises';
import { basename, dirname, join, relative, sep } from 'node:path';
import { isWithin } from '../drives/path-within.js';
import { leadingFile, stillPath, type MediaInput } from '../ffmpeg/input.js';
import { UserError } from '../http/problems.js';
import { isMediaName, isStillName } from './media-names.js';

/**
 * Decides which files may be read as media: those that really lie in a media folder, whatever links lead to them, are no
 * hidden ones, and have the ending of a medium.
 */
export class MediaAccess {
  /** @param roots the media folders at this moment */
  constructor(private readonly roots: () => readonly string[]) {}

  /** Access as it would be if a folder were a media folder too. */
  with(folder: string): MediaAccess {
    return new MediaAccess(() => [...this.roots(), folder]);
  }

  /** The media folders that are there, as the system resolves them. */
  async realRoots(): Promise<string[]> {
    const real = await Promise.all(this.roots().map((root) => realpath(root).catch(() => undefined)));
    return real.filter((root) => root !== undefined);
  }

  /** Whether a folder, given by its real path, may be looked into. */
  async isOpenFolder(real: string): Promise<boolean> {
    return (await this.realRoots()).some((root) => isWithin(real, root));
  }

  /**
   * @returns input with its real path, for ffmpeg to open; a missing one unchanged
   * @throws UserError 403 when it may not be read
   */
  async resolve<Input extends MediaInput>(input: Input): Promise<Input> {
    const leading = leadingFile(input);
    const real = await realpath(leading).catch(() => undefined);
    const lies = real ?? join(await nearestReal(dirname(leading)), basename(leading));
    await this.require(lies, leading, input.stills !== null);
    if (real === undefined) return input;
    if (!(await stat(real)).isFile()) throw refusal(leading, 'is no file');
    if (!input.stills) return { ...input, path: real };
    const folder = dirname(real);
    for (let image = 0; image < input.stills.count; image++) {
      const path = stillPath(input.path, input.stills.first + image);
      const realStill = await realpath(path).catch(() => undefined);
      // ffmpeg finds stills by their names in one folder, so that a link to one elsewhere could lead anywhere.
      if (realStill !== undefined && dirname(realStill) !== folder)
        throw refusal(path, 'is a link to another folder');
    }
    return { ...input, path: join(folder.replaceAll('%', '%%'), basename(input.path)) };
  }

  /** Whether `resolve` would take an input. */
  async isAllowed(input: MediaInput): Promise<boolean> {
    return this.resolve(input).then(
      () => true,
      () => false,
    );
  }

  private async require(real: string, named: string, isStill: boolean): Promise<void> {
    const root = (await this.realRoots()).find((each) => isWithin(real, each));
    if (root === undefined) {
      throw refusal(
        named,
        'lies outside the media folders. Add its folder with “Add media …” on the page Sources',
      );
    }
    if (
      relative(root, real)
        .split(sep)
        .some((part) => part.startsWith('.'))
    ) {
      throw refusal(named, 'is hidden. Rename it so that no part of its path begins with a dot');
    }
    const isNamed = [real, named].every((path) => (isStill ? isStillName(path) : isMediaName(path)));
    if (!isNamed) throw refusal(named, 'has no ending of a media file');
  }
}

const refusal = (path: string, why: string): UserError =>
  new UserError(403, 'File not open to Hone', `"${basename(path)}" ${why}.`);

async function nearestReal(folder: string): Promise<string> {
  const real = await realpath(folder).catch(() => undefined);
  if (real !== undefined || dirname(folder) === folder) return real ?? folder;
  return join(await nearestReal(dirname(folder)), basename(folder));
}
