import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdtemp, readdir, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { userOf } from '../http/owner.js';
import { ChildRegistry } from './child-registry.js';
import { lockFolder } from './folder-lock.js';
import { processIdentity } from './identity.js';

let folder: string;

beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'hone-process-'));
});

afterEach(() => rm(folder, { recursive: true }));

describe('the lock of a data folder', () => {
  it('is held by one, who is named to the other', async () => {
    const lock = await lockFolder(folder);
    await lock.announce('http://127.0.0.1:4310');
    await expect(lockFolder(folder)).rejects.toThrow(
      new RegExp(`in use by another Hone \\(process ${process.pid}, at http://127.0.0.1:4310\\)`),
    );
    await lock.release();
    const second = await lockFolder(folder);
    await second.release();
    expect(await readdir(folder)).toEqual([]);
  });

  it('is taken over from a process that ended, also when another has its number now', async () => {
    const old = { pid: process.pid, identity: 'another start', url: null, mark: 'x' };
    await writeFile(join(folder, 'hone.lock'), JSON.stringify(old));
    await (await lockFolder(folder)).release();
    await writeFile(join(folder, 'hone.lock'), 'cut o');
    await (await lockFolder(folder)).release();
  });

  it('is given to one of many that ask at once', async () => {
    const taken = await Promise.allSettled(Array.from({ length: 8 }, () => lockFolder(folder)));
    expect(taken.filter(({ status }) => status === 'fulfilled')).toHaveLength(1);
  });
});

describe('child processes', () => {
  it('are told from others with the same number', async () => {
    const child = spawn(process.execPath, ['-e', 'setTimeout(() => {}, 60000)']);
    const identity = await processIdentity(child.pid!);
    expect(identity).toBeDefined();
    expect(await processIdentity(child.pid!)).toBe(identity);
    expect(await processIdentity(process.pid)).not.toBe(identity);
    child.kill('SIGKILL');
    await once(child, 'close');
    expect(await processIdentity(child.pid!)).toBeUndefined();
  });

  it('that an earlier server left are ended at the next start, and no others', async () => {
    const sleeper = () => spawn(process.execPath, ['-e', 'setTimeout(() => {}, 60000)']);
    const [left, other] = [sleeper(), sleeper()];
    const ended = once(left, 'close') as Promise<[number | null, string]>;
    const identity = await processIdentity(left.pid!);
    await writeFile(join(folder, 'a.json'), JSON.stringify({ pid: left.pid, identity }));
    await writeFile(join(folder, 'b.json'), JSON.stringify({ pid: other.pid, identity: 'an earlier one' }));
    await writeFile(join(folder, 'c.json'), '{"pid":');
    expect(await new ChildRegistry().open(folder)).toBe(1);
    expect((await ended)[1]).toBe('SIGKILL');
    expect(other.exitCode ?? other.signalCode).toBeNull();
    other.kill();
    expect(await readdir(folder)).toEqual([]);
  });

  it.runIf(process.platform === 'linux')(
    'end with the process that started them, however that ends',
    async () => {
      const module = fileURLToPath(new URL('../dist/process/spawn-child.js', import.meta.url));
      const code = `const { spawnChild } = await import(${JSON.stringify(module)});
      const child = spawnChild('sleep', ['60']);
      child.once('spawn', () => console.log(child.pid));
      setInterval(() => {}, 1000);`;
      const parent = spawn(process.execPath, ['--input-type=module', '-e', code], {
        stdio: ['ignore', 'pipe', 'inherit'],
      });
      const [said] = (await once(parent.stdout, 'data')) as [Buffer];
      const pid = Number(String(said));
      expect(await processIdentity(pid)).toBeDefined();
      parent.kill('SIGKILL');
      await expect.poll(() => processIdentity(pid), { timeout: 10_000 }).toBeUndefined();
    },
  );
});

describe('the owner of a connection', () => {
  // Lines as proc(5) describes them: addresses in hexadecimal, and the user in the eighth field.
  const TCP = `  sl  local_address rem_address   st tx_queue rx_queue tr tm->when retrnsmt   uid  timeout inode
   0: 0100007F:10D6 00000000:0000 0A 00000000:00000000 00:00000000 00000000  1000        0 31 1 0 100 0 0 10 0
   1: 0100007F:10D6 0100007F:C350 01 00000000:00000000 00:00000000 00000000  1000        0 32 1 0 20 4 30 10 -1
   2: 0100007F:C350 0100007F:10D6 01 00000000:00000000 00:00000000 00000000  1001        0 33 1 0 20 4 30 10 -1`;

  it('is read from the end that belongs to the client', () => {
    expect(userOf(TCP, 50_000, 4310)).toBe(1001);
    expect(userOf(TCP, 50_001, 4310)).toBeUndefined();
    expect(userOf('', 50_000, 4310)).toBeUndefined();
  });
});
