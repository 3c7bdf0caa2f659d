import { mkdir, mkdtemp, rm, symlink, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { ExternalLoadMonitor } from './external-load.js';

let proc: string;

beforeEach(async () => {
  proc = await mkdtemp(join(tmpdir(), 'hone-proc-'));
  await mkdir(join(proc, 'net'));
});

afterEach(() => rm(proc, { recursive: true, force: true }));

interface Told {
  readonly pid: number;
  readonly parent: number;
  readonly ticks: number;
  readonly childTicks?: number;
  readonly begun?: number;
}

/** Writes what proc(5) says of processes: 52 fields, the name in brackets, of which the tests need a few. */
async function tell(busy: number, idle: number, stolen: number, ...processes: Told[]): Promise<void> {
  await writeFile(join(proc, 'stat'), `cpu  ${busy} 0 0 ${idle} 0 0 0 ${stolen} 0 0\ncpu0 0 0 0 0\n`);
  for (const { pid, parent, ticks, childTicks = 0, begun = 1 } of processes) {
    await mkdir(join(proc, String(pid)), { recursive: true });
    const fields = Array.from({ length: 52 }, () => 0);
    [fields[3], fields[13], fields[15], fields[21]] = [parent, ticks, childTicks, begun];
    const line = `${pid} (odd) name ) S ${fields.slice(3).join(' ')}`;
    await writeFile(join(proc, String(pid), 'stat'), line);
  }
}

const BROWSER = { pid: 900_001, parent: 1, ticks: 50 };
const NETWORK = { pid: 900_002, parent: 900_001, ticks: 10 };
const ZYGOTE = { pid: 900_003, parent: 900_001, ticks: 0 };
const PAGE = { pid: 900_004, parent: 900_003, ticks: 100 };
const SERVER = { pid: process.pid, parent: 1, ticks: 20 };
const OTHER = { pid: 900_009, parent: 1, ticks: 500 };

/** The network process of the browser holds the page's end of a connection: port 40000 to 4310. */
async function connect(): Promise<void> {
  const line = '   0: 0100007F:9C40 0100007F:10D6 01 00000000:00000000 00:00000000 00000000  1000 0 4711 1';
  await writeFile(join(proc, 'net', 'tcp'), `  sl  local_address rem_address   st\n${line}\n`);
  await mkdir(join(proc, String(NETWORK.pid), 'fd'), { recursive: true });
  await symlink('socket:[4711]', join(proc, String(NETWORK.pid), 'fd', '7'));
  for (const { pid } of [BROWSER, NETWORK, ZYGOTE, PAGE])
    await symlink('/usr/bin/browser', join(proc, String(pid), 'exe'));
}

const CONNECTION = { clientPort: 40_000, serverPort: 4310 };

describe('what others take of the cores', () => {
  it('is what neither the server nor the browser of the page has worked', async () => {
    await tell(1000, 1000, 0, BROWSER, NETWORK, ZYGOTE, PAGE, SERVER, OTHER);
    await connect();
    const watch = new ExternalLoadMonitor(proc);
    await watch.start(CONNECTION);
    // 400 ticks in all: 120 of the page, 30 of the server, 50 of a program beside, 20 that the host took, 180 idle.
    await tell(
      ...([1200, 1180, 20] as const),
      ...[BROWSER, NETWORK, ZYGOTE, { ...PAGE, ticks: 220 }],
      ...[
        { ...SERVER, ticks: 50 },
        { ...OTHER, ticks: 550 },
      ],
    );
    expect(await watch.share()).toBeCloseTo((200 - 150 + 20) / 400);
  });

  it('counts processes of Hone that began or ended meanwhile as its own', async () => {
    const ended = { pid: 900_005, parent: process.pid, ticks: 40 };
    await tell(1000, 1000, 0, BROWSER, NETWORK, ZYGOTE, PAGE, SERVER, ended);
    await connect();
    const watch = new ExternalLoadMonitor(proc);
    await watch.start(CONNECTION);
    await rm(join(proc, String(ended.pid)), { recursive: true });
    // It worked 60 more before it ended, and left all its 100 to the server; another one began, with its number.
    await tell(
      ...([1100, 1100, 0] as const),
      ...[
        { ...SERVER, childTicks: 100 },
        { pid: 900_006, parent: PAGE.pid, ticks: 40 },
      ],
    );
    expect(await watch.share()).toBeCloseTo(0);
  });

  it('is what all programs take where the system does not tell whose they are', async () => {
    const load = await new ExternalLoadMonitor(join(proc, 'nothing')).during(50, CONNECTION);
    expect(load).toBeGreaterThanOrEqual(0);
    expect(load).toBeLessThanOrEqual(1);
    await tell(1000, 1000, 0, BROWSER, NETWORK, ZYGOTE, PAGE, SERVER, OTHER);
    await connect();
    const during = new ExternalLoadMonitor(proc).during(50, CONNECTION);
    await new Promise((resolve) => setTimeout(resolve, 25));
    // 100 ticks in all, of which the page worked 60 and a program beside 10.
    await tell(
      ...([1070, 1030, 0] as const),
      ...[BROWSER, NETWORK, ZYGOTE, SERVER, { ...PAGE, ticks: 160 }, { ...OTHER, ticks: 510 }],
    );
    expect(await during).toBeCloseTo(0.1);
  });

  it('has jobs of Hone among the others, where they would disturb a measurement', async () => {
    const job = { pid: 900_007, parent: process.pid, ticks: 300 };
    const ended = { pid: 900_008, parent: process.pid, ticks: 30 };
    await tell(1000, 1000, 0, BROWSER, NETWORK, ZYGOTE, PAGE, SERVER, job, ended);
    await connect();
    const during = new ExternalLoadMonitor(proc).during(50, CONNECTION);
    await new Promise((resolve) => setTimeout(resolve, 25));
    await rm(join(proc, String(ended.pid)), { recursive: true });
    // 100 ticks in all: 20 of the page, 10 of the server itself, 40 of a job, and 5 of one that ended.
    await tell(
      ...([1075, 1025, 0] as const),
      ...[BROWSER, NETWORK, ZYGOTE, { ...PAGE, ticks: 120 }, { ...job, ticks: 340 }],
      { ...SERVER, ticks: 30, childTicks: 35 },
    );
    expect(await during).toBeCloseTo(0.45);
  });

  it('is not told without a connection of this machine, or where the system says nothing', async () => {
    await tell(1000, 1000, 0, BROWSER);
    const watch = new ExternalLoadMonitor(proc);
    await watch.start(undefined);
    expect(await watch.share()).toBeNull();
    await watch.start(CONNECTION);
    expect(await watch.share()).toBeNull();
    const elsewhere = new ExternalLoadMonitor(join(proc, 'nothing'));
    await elsewhere.start(CONNECTION);
    expect(await elsewhere.share()).toBeNull();
  });
});
