import { execFile } from 'node:child_process';
import { open, readFile, rm, stat, statfs } from 'node:fs/promises';
import { randomUUID } from 'node:crypto';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { figureOf, type DriveFigures, type Figure } from '@hone/core/machine';
import { mountOf, type Mount } from '../drives/mounts.js';

const run = promisify(execFile);
const MIB = 2 ** 20;
const BLOCK = 4 * MIB;
/** Files smaller than this say nothing of a sustained rate. */
const SMALLEST_FILE = 48 * MIB;
const STREAMS = 4;
const RANDOM_READS = 12;

/** A drive, and Hone's content on it. */
export interface DriveUse {
  readonly mount: Mount;
  readonly holds: readonly string[];
  /** Files that may be read to measure it, the largest first. */
  readonly files: readonly { readonly path: string; readonly bytes: number }[];
  /** A writable folder; undefined on a drive of media only. */
  readonly writable: string | undefined;
}

export interface DriveMeasurement {
  readonly thorough: boolean;
  readonly disturbed: boolean;
  readonly signal: AbortSignal;
}

/** Groups folders and files by the drive that they are on. */
export async function driveUses(
  places: readonly { readonly path: string; readonly holds: string; readonly writable: boolean }[],
  files: readonly string[],
): Promise<DriveUse[]> {
  const uses = new Map<
    string,
    { mount: Mount; holds: Set<string>; files: { path: string; bytes: number }[]; writable?: string }
  >();
  const useOf = async (path: string) => {
    const mount = (await mountOf(path)) ?? { point: '/', device: '', fileSystem: '', origin: '' };
    const use = uses.get(mount.point) ?? { mount, holds: new Set<string>(), files: [] };
    uses.set(mount.point, use);
    return use;
  };
  for (const { path, holds, writable } of places) {
    const use = await useOf(path);
    use.holds.add(holds);
    if (writable) use.writable ??= path;
  }
  for (const path of files) {
    const found = await stat(path).catch(() => undefined);
    if (!found?.isFile()) continue;
    const use = await useOf(path);
    use.holds.add('media');
    use.files.push({ path, bytes: found.size });
  }
  return [...uses.values()].map(({ mount, holds, files: found, writable }) => ({
    mount,
    holds: [...holds],
    files: found.sort((a, b) => b.bytes - a.bytes),
    writable,
  }));
}

/** Measures a drive past the system's cache, with `fio` when it is there and else with `dd` and direct reads. */
export async function measureDrive(use: DriveUse, how: DriveMeasurement): Promise<DriveFigures> {
  const room = await statfs(use.writable ?? use.files[0]?.path ?? use.mount.point);
  const figures = {
    drive: use.mount.point,
    kind: await kindOf(use.mount),
    fileSystem: use.mount.fileSystem,
    holds: [...use.holds],
    bytes: room.blocks * room.bsize,
    freeBytes: room.bavail * room.bsize,
  };
  const nothing = {
    readBytesPerSecond: null,
    readManyBytesPerSecond: null,
    writeBytesPerSecond: null,
    randomReadMs: null,
  };
  const spare = use.writable ? join(use.writable, `.measure-${randomUUID()}`) : undefined;
  try {
    const write = spare ? await writeRate(spare, figures.freeBytes, how) : null;
    const target = use.files.find(({ bytes }) => bytes >= SMALLEST_FILE);
    const written = spare && write ? { path: spare, bytes: (await stat(spare)).size } : undefined;
    const file = target ?? written;
    if (!file) {
      const problem = 'No file on it is large enough to measure reading; add footage from it first.';
      return { ...figures, ...nothing, writeBytesPerSecond: write, problem };
    }
    const tool = await readTool(file.path);
    return {
      ...figures,
      readBytesPerSecond: await readRate(tool, file, 1, how),
      readManyBytesPerSecond: await readRate(tool, file, STREAMS, how),
      writeBytesPerSecond: write,
      randomReadMs: await randomRead(tool, file, how),
      problem: null,
    };
  } catch (error) {
    how.signal.throwIfAborted();
    const problem = `The drive could not be measured: ${error instanceof Error ? error.message.split('\n')[0] : String(error)}`;
    return { ...figures, ...nothing, problem };
  } finally {
    if (spare) await rm(spare, { force: true });
  }
}

interface ReadTool {
  readonly direct: boolean;
  readonly fio: boolean;
  readonly method: string;
}

async function readTool(path: string): Promise<ReadTool> {
  const direct = await run('dd', [`if=${path}`, 'of=/dev/null', 'bs=4096', 'count=1', 'iflag=direct']).then(
    () => true,
    () => false,
  );
  const fio =
    direct &&
    (await run('fio', ['--version']).then(
      () => true,
      () => false,
    ));
  const method = fio
    ? 'fio, direct'
    : direct
      ? 'dd, direct'
      : 'dd, through the system’s cache (no direct reads here)';
  return { direct, fio, method };
}

interface Target {
  readonly path: string;
  readonly bytes: number;
}

async function readRate(
  tool: ReadTool,
  file: Target,
  streams: number,
  how: DriveMeasurement,
): Promise<Figure> {
  const budget = (how.thorough ? 768 : 192) * MIB;
  const rounds = how.thorough ? 5 : 2;
  const rates: number[] = [];
  for (let round = 0; round < rounds; round++) {
    how.signal.throwIfAborted();
    const each = Math.max(BLOCK, Math.floor(Math.min(budget, file.bytes) / streams / BLOCK) * BLOCK);
    rates.push(
      tool.fio
        ? await fioRead(file, streams, each, how.signal)
        : await ddRead(tool.direct, file, streams, each, how.signal),
    );
  }
  const method = streams > 1 ? `${tool.method}, ${streams} streams` : tool.method;
  return figureOf(rates, { method, measuredAt: new Date().toISOString(), disturbed: how.disturbed });
}

async function fioRead(
  { path }: Target,
  streams: number,
  bytes: number,
  signal: AbortSignal,
): Promise<number> {
  const args = [
    ...['--name=hone', `--filename=${path.replaceAll(':', '\\:')}`, '--readonly', '--rw=read', '--bs=4M'],
    ...['--direct=1', `--size=${bytes}`, `--offset_increment=${bytes}`, `--numjobs=${streams}`],
    ...['--group_reporting', '--output-format=json'],
  ];
  const { stdout } = await run('fio', args, { signal, maxBuffer: 1 << 26 });
  const report = JSON.parse(stdout.slice(stdout.indexOf('{'))) as { jobs: { read: { bw_bytes: number } }[] };
  return report.jobs[0]!.read.bw_bytes;
}

async function ddRead(
  direct: boolean,
  { path }: Target,
  streams: number,
  bytes: number,
  signal: AbortSignal,
): Promise<number> {
  const started = performance.now();
  const parts = await Promise.all(
    Array.from({ length: streams }, (_, stream) => {
      const blocks = Math.max(1, bytes / BLOCK);
      const args = [
        `if=${path}`,
        'of=/dev/null',
        `bs=${BLOCK}`,
        `count=${blocks}`,
        `skip=${stream * blocks}`,
      ];
      return run('dd', direct ? [...args, 'iflag=direct'] : args, {
        signal,
        env: { ...process.env, LC_ALL: 'C' },
      });
    }),
  );
  const read = parts.map(({ stderr }) => reportOf(stderr));
  const all = read.reduce((sum, part) => sum + part.bytes, 0);
  // One stream: as dd counts it, without the start of the program.
  if (streams === 1) return all / read[0]!.seconds;
  return (1000 * all) / (performance.now() - started);
}

/** Last line of dd: "1048576 bytes (1.0 MB, 1.0 MiB) copied, 0.00123 s, 852 MB/s". */
export function reportOf(stderr: string): { bytes: number; seconds: number } {
  const match = /(\d+) bytes.* copied, ([\d.e+-]+) s/.exec(stderr);
  if (!match) throw new Error(`dd said nothing that is understood: ${stderr.trim()}`);
  return { bytes: Number(match[1]), seconds: Math.max(1e-9, Number(match[2])) };
}

async function randomRead(
  tool: ReadTool,
  { path, bytes }: Target,
  { signal, disturbed }: DriveMeasurement,
): Promise<Figure> {
  const times: number[] = [];
  const blocks = Math.floor(bytes / 4096);
  for (let read = 0; read < RANDOM_READS; read++) {
    // Spread evenly but out of order: no two reads next to each other.
    const at = Math.floor((blocks * ((read * 5) % RANDOM_READS)) / RANDOM_READS);
    const args = [`if=${path}`, 'of=/dev/null', 'bs=4096', 'count=1', `skip=${at}`];
    const { stderr } = await run('dd', tool.direct ? [...args, 'iflag=direct'] : args, {
      signal,
      env: { ...process.env, LC_ALL: 'C' },
    });
    times.push(1000 * reportOf(stderr).seconds);
  }
  const method = `${tool.direct ? 'dd, direct' : 'dd, through the system’s cache'}, ${RANDOM_READS} places`;
  return figureOf(times, { method, measuredAt: new Date().toISOString(), disturbed });
}

async function writeRate(path: string, freeBytes: number, how: DriveMeasurement): Promise<Figure | null> {
  const bytes = (how.thorough ? 512 : 128) * MIB;
  if (freeBytes < 4 * bytes) return null;
  const file = await open(path, 'w');
  await file.close();
  const write = async (flag: readonly string[]): Promise<number> => {
    const args = ['if=/dev/zero', `of=${path}`, `bs=${BLOCK}`, `count=${bytes / BLOCK}`, ...flag];
    const { stderr } = await run('dd', args, { signal: how.signal, env: { ...process.env, LC_ALL: 'C' } });
    const report = reportOf(stderr);
    return report.bytes / report.seconds;
  };
  const about = (method: string) => ({
    method,
    measuredAt: new Date().toISOString(),
    disturbed: how.disturbed,
  });
  try {
    const rates = [];
    for (let round = 0; round < (how.thorough ? 3 : 1); round++) rates.push(await write(['oflag=direct']));
    return figureOf(rates, about('dd, direct'));
  } catch {
    how.signal.throwIfAborted();
    return figureOf([await write(['conv=fsync'])], about('dd, written through to the drive'));
  }
}

const NETWORK = ['nfs', 'nfs4', 'cifs', 'smb3', 'smbfs', 'fuse.sshfs', '9p', 'virtiofs'];

async function kindOf({ device, fileSystem }: Mount): Promise<DriveFigures['kind']> {
  if (NETWORK.includes(fileSystem)) return 'network';
  if (fileSystem === 'tmpfs' || fileSystem === 'ramfs') return 'memory';
  const sys = `/sys/dev/block/${device}`;
  const read = (name: string): Promise<string | undefined> =>
    readFile(join(sys, name), 'utf8')
      .catch(() => readFile(join(sys, '..', name), 'utf8'))
      .then(
        (text) => text.trim(),
        () => undefined,
      );
  if ((await read('removable')) === '1') return 'removable';
  const rotational = await read('queue/rotational');
  return rotational === '1' ? 'rotating' : rotational === '0' ? 'solid state' : 'unknown';
}
