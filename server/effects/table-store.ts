import { createHash } from 'node:crypto';
import { readdir, readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { KeptTable } from '@hone/core/api';
import { InterchangeError, readCube, type ColourTable } from '@hone/core/interchange';
import { notFound, UserError } from '../http/problems.js';
import { writeAside } from '../store/aside.js';

const IDENTIFIER = /^[0-9a-f]{64}$/;

/** Colour tables, each kept under the hash of its text. */
export class TableStore {
  private readonly read = new Map<string, Promise<ColourTable>>();

  /** @param folder where they are kept; it exists */
  constructor(private readonly folder: string) {}

  /** @throws UserError that names the line when it is no table */
  async keep(text: string): Promise<KeptTable> {
    let table: ColourTable;
    try {
      table = readCube(text);
    } catch (error) {
      if (error instanceof InterchangeError)
        throw new UserError(400, 'No colour table', `${error.message} Correct the file, or choose another.`);
      throw error;
    }
    const id = createHash('sha256').update(text).digest('hex');
    await writeAside(this.file(id), (aside) => writeFile(aside, text));
    return keptTable(id, table);
  }

  /** All of them, by their titles. */
  async list(): Promise<KeptTable[]> {
    const kept: KeptTable[] = [];
    for (const name of await readdir(this.folder)) {
      const id = name.slice(0, -'.cube'.length);
      if (!name.endsWith('.cube') || !IDENTIFIER.test(id)) continue;
      try {
        kept.push(keptTable(id, await this.table(id)));
      } catch (error) {
        // One damaged file must not hide the others.
        if (!(error instanceof InterchangeError || error instanceof UserError)) throw error;
      }
    }
    return kept.sort((a, b) => a.title.localeCompare(b.title));
  }

  file(id: string): string {
    if (!IDENTIFIER.test(id)) throw notFound('This colour table');
    return join(this.folder, `${id}.cube`);
  }

  /** @throws UserError when it is not kept here */
  async text(id: string): Promise<string> {
    try {
      return await readFile(this.file(id), 'utf8');
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code === 'ENOENT') throw notFound('This colour table');
      throw error;
    }
  }

  /** @throws UserError when it is not kept here */
  async table(id: string): Promise<ColourTable> {
    const known = this.read.get(id) ?? this.text(id).then(readCube);
    this.read.set(id, known);
    try {
      return await known;
    } catch (error) {
      this.read.delete(id);
      throw error;
    }
  }
}

const keptTable = (id: string, { title, kind, size }: ColourTable): KeptTable => ({ id, title, kind, size });
