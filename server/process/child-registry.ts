import { mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { readdir, readFile, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { processIdentity } from './identity.js';

interface ChildRecord {
  readonly pid: number;
  readonly identity: string;
}

/**
 * Keeps a record of each running child process in a folder. A killed server leaves its records, and the next start ends
 * the processes that they name: one that still writes would damage new files.
 */
export class ChildRegistry {
  private folder: string | undefined;

  /** Ends the children that an earlier server left, and keeps records in this folder from now on. */
  async open(folder: string): Promise<number> {
    mkdirSync(folder, { recursive: true });
    let ended = 0;
    for (const name of await readdir(folder)) {
      const path = join(folder, name);
      const record = parseRecord(await readFile(path, 'utf8').catch(() => ''));
      if (record && (await processIdentity(record.pid)) === record.identity) {
        try {
          process.kill(record.pid, 'SIGKILL');
          ended++;
        } catch {
          // It has ended between the two calls.
        }
      }
      await rm(path, { force: true });
    }
    this.folder = folder;
    return ended;
  }

  /** Records a child. @returns a function that removes the record */
  add(pid: number): () => void {
    const { folder } = this;
    if (!folder) return () => undefined;
    const path = join(folder, `${process.pid}-${pid}.json`);
    let ended = false;
    void processIdentity(pid).then((identity) => {
      if (identity === undefined || ended) return;
      try {
        writeFileSync(path, JSON.stringify({ pid, identity } satisfies ChildRecord));
      } catch {
        // A folder that cannot be written to costs the record, not the work.
      }
    });
    return () => {
      ended = true;
      try {
        rmSync(path, { force: true });
      } catch {
        // The next start removes it.
      }
    };
  }
}

function parseRecord(text: string): ChildRecord | undefined {
  try {
    const { pid, identity } = JSON.parse(text) as Partial<ChildRecord>;
    return Number.isInteger(pid) && typeof identity === 'string' ? { pid: pid!, identity } : undefined;
  } catch {
    return undefined;
  }
}

/** The children of this process. */
export const children = new ChildRegistry();
