import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { copyFile, mkdir, mkdtemp, readdir, readFile, rm } from 'node:fs/promises';
import { createHash } from 'node:crypto';
import { request } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { fileURLToPath } from 'node:url';
import type { ExportRecord, FolderEntry, Job, LightCopy, Project, Source } from '@hone/core/api';
import { appendSource } from '@hone/core/timeline';
import { placeable } from '@hone/core/media';
import { makeCodedClip } from '@hone/demo';
import { randomLcg } from 'd3-random';
import type { BenchOptions } from './options.js';

const KILLS = 50;
const START_MS = 30_000;
const main = fileURLToPath(new URL('./crash-server.js', import.meta.url));

interface Found {
  kills: number;
  lost: number;
  orphans: number;
  corrupt: number;
  unstartable: number;
}

/** A server that is killed while it works, and everything that it has acknowledged. */
class Victim {
  private child: ChildProcess | undefined;
  private url = '';
  /** The name of the last marker whose save was acknowledged. */
  acknowledged = '';
  /** Names of markers that were sent after it, without an answer. */
  readonly sent: string[] = [];
  readonly sources = new Set<string>();

  constructor(
    readonly data: string,
    readonly footage: string,
  ) {}

  async start(): Promise<boolean> {
    const env = {
      ...process.env,
      HONE_DATA: this.data,
      HONE_MEDIA: this.footage,
      PORT: '0',
      HONE_LOG: 'silent',
      HONE_MEASURE: 'asked',
    };
    const child = spawn(process.execPath, [main], { env, stdio: ['ignore', 'pipe', 'inherit'] });
    this.child = child;
    const said = once(child.stdout, 'data').then(([data]) => String(data).trim());
    const ended = once(child, 'exit').then(() => undefined);
    const url = await Promise.race([said, ended, sleep(START_MS, undefined)]);
    this.url = url ?? '';
    return url !== undefined;
  }

  async kill(): Promise<void> {
    const { child } = this;
    if (!child || child.exitCode !== null || child.signalCode !== null) return;
    const ended = once(child, 'exit');
    child.kill('SIGKILL');
    await ended;
  }

  async call<T>(method: string, path: string, body?: unknown): Promise<T> {
    const json = { 'Content-Type': 'application/json' };
    const init = body === undefined ? {} : { headers: json, body: JSON.stringify(body) };
    const reply = await fetch(`${this.url}/api/${path}`, { method, ...init });
    if (!reply.ok) throw new Error(`${method} ${path}: ${reply.status} ${await reply.text()}`);
    return (reply.status === 204 ? undefined : await reply.json()) as T;
  }

  /** Sends a file piece by piece. */
  upload(projectId: string, name: string, bytes: Buffer): Promise<Source> {
    return new Promise((resolve, reject) => {
      const path = `/api/projects/${projectId}/uploads?name=${encodeURIComponent(name)}`;
      const headers = { 'Content-Length': bytes.length, 'Content-Type': 'application/octet-stream' };
      const sent = request(`${this.url}${path}`, { method: 'POST', headers }, (reply) => {
        let text = '';
        reply.on('data', (data: Buffer) => (text += String(data)));
        reply.on('end', () =>
          reply.statusCode === 201 ? resolve(JSON.parse(text) as Source) : reject(new Error(text)),
        );
        reply.on('error', reject);
      });
      sent.on('error', reject);
      const piece = Math.ceil(bytes.length / 20);
      void (async () => {
        for (let at = 0; at < bytes.length; at += piece) {
          sent.write(bytes.subarray(at, at + piece));
          await sleep(25);
        }
        sent.end();
      })().catch(reject);
    });
  }
}

/**
 * Kills a server at random moments over copies, exports, uploads, saves and imports, and looks after each start whether
 * anything acknowledged is lost, anything ready is corrupt, or anything half made is left.
 * @param options its seed repeats a run
 */
export async function crashes(options: BenchOptions): Promise<Record<string, number>> {
  const seed = options.seed ?? Math.floor(Math.random() * 2 ** 31);
  console.log(`seed ${seed}`);
  const random = randomLcg(seed);
  const folder = await mkdtemp(join(tmpdir(), 'hone-crashes-'));
  const footage = join(folder, 'footage');
  await mkdir(footage);
  const clip = { width: 640, height: 360, rate: '25', frames: 200, source: 1 };
  const path = join(footage, 'clip 0.mp4');
  await makeCodedClip({ ...clip, path });
  const bytes = await readFile(path);
  const victim = new Victim(join(folder, 'data'), footage);
  const found: Found = { kills: 0, lost: 0, orphans: 0, corrupt: 0, unstartable: 0 };
  try {
    if (!(await victim.start())) throw new Error('The server did not start at all.');
    const { id } = await victim.call<Project>('POST', 'projects', { name: 'Crashes' });
    await importNext(victim, id);
    await settled(victim, id);
    await layOut(victim, id);
    for (let kill = 1; kill <= KILLS; kill++) {
      const upload: Work = (who, project, draw) => uploadOne(who, project, draw, bytes);
      const work: readonly Work[] = [save, copy, exportAll, upload, importNext];
      const under = Array.from(
        { length: 1 + Math.floor(2 * random()) },
        () => work[Math.floor(work.length * random())]!,
      );
      const running = under.map((each) => each(victim, id, random).catch(() => undefined));
      await sleep(30 + 2500 * random() ** 2);
      await victim.kill();
      await Promise.all(running);
      found.kills++;
      if (!(await victim.start())) {
        found.unstartable++;
        console.log(`kill ${kill}: the server did not start`);
        break;
      }
      found.lost += await lost(victim, id, kill);
      found.orphans += await leftBehind(victim, id, kill);
      if (kill % 10 === 0) {
        await settled(victim, id);
        found.corrupt += await corrupt(victim, id, kill);
        console.log(`after ${kill} kills: ${JSON.stringify(found)}`);
      }
    }
  } finally {
    await victim.kill();
    await rm(folder, { recursive: true, force: true });
  }
  return { ...found };
}

/** Something that a user asks for. */
type Work = (victim: Victim, projectId: string, random: () => number) => Promise<void>;

async function settled(victim: Victim, id: string): Promise<void> {
  for (;;) {
    const jobs = await victim.call<Job[]>('GET', `projects/${id}/jobs`);
    if (!jobs.some(({ state }) => state === 'waiting' || state === 'running')) return;
    await sleep(150);
  }
}

async function layOut(victim: Victim, id: string): Promise<void> {
  const project = await victim.call<Project>('GET', `projects/${id}`);
  const [source] = await victim.call<Source[]>('GET', `projects/${id}/sources`);
  const { width, height } = source!.facts!.picture!.size;
  const shaped = { ...project.timeline, size: { width, height }, rate: source!.facts!.picture!.rate };
  const timeline = appendSource(shaped, placeable(source!.id, source!.name, source!.facts!), () => 'c');
  await victim.call('PUT', `projects/${id}`, {
    revision: project.revision,
    timeline,
    delivery: { ...project.delivery, size: { width, height }, pace: 'quick' },
  });
}

async function save(victim: Victim, id: string): Promise<void> {
  for (let count = 0; count < 20; count++) {
    const { revision, timeline, delivery } = await victim.call<Project>('GET', `projects/${id}`);
    const name = `marker ${revision}`;
    const markers = [{ id: 'm', frame: 0, name, note: '' }];
    victim.sent.push(name);
    await victim.call('PUT', `projects/${id}`, { revision, timeline: { ...timeline, markers }, delivery });
    victim.acknowledged = name;
    victim.sent.length = 0;
    await sleep(20);
  }
}

async function copy(victim: Victim, id: string, random: () => number): Promise<void> {
  const sources = (await victim.call<Source[]>('GET', `projects/${id}/sources`)).filter(
    ({ state }) => state === 'ready',
  );
  const source = sources[Math.floor(sources.length * random())];
  const divisor = [1, 2, 4][Math.floor(3 * random())];
  if (source) await victim.call('POST', `projects/${id}/copies`, { sourceIds: [source.id], divisor });
}

async function exportAll(victim: Victim, id: string): Promise<void> {
  await victim.call('POST', `projects/${id}/exports`);
}

async function uploadOne(victim: Victim, id: string, random: () => number, bytes: Buffer): Promise<void> {
  const { id: sourceId } = await victim.upload(id, `upload ${Math.floor(1e6 * random())}.mp4`, bytes);
  victim.sources.add(sourceId);
}

async function importNext(victim: Victim, id: string): Promise<void> {
  const { children } = await victim.call<FolderEntry>('GET', 'folders');
  const root = children.find(({ label }) => label === victim.footage)!;
  const { files } = await victim.call<FolderEntry>('GET', `folders/${root.id}`);
  const name = `clip ${files.length}.mp4`;
  await copyFile(join(victim.footage, 'clip 0.mp4'), join(victim.footage, name));
  const again = await victim.call<FolderEntry>('GET', `folders/${root.id}`);
  const fileIds = [again.files.at(-1)!.id];
  for (const source of await victim.call<Source[]>('POST', `projects/${id}/sources`, { fileIds }))
    victim.sources.add(source.id);
}

/** Acknowledged things that are not there any more. */
async function lost(victim: Victim, id: string, kill: number): Promise<number> {
  const { timeline } = await victim.call<Project>('GET', `projects/${id}`);
  const name = timeline.markers?.[0]?.name ?? '';
  let count = 0;
  // An unanswered request may have arrived.
  if (name !== victim.acknowledged && !victim.sent.includes(name)) {
    console.log(`kill ${kill}: "${victim.acknowledged}" was acknowledged, but "${name}" is there`);
    count++;
  }
  victim.acknowledged = name;
  victim.sent.length = 0;
  const known = new Set(
    (await victim.call<Source[]>('GET', `projects/${id}/sources`)).map((source) => source.id),
  );
  for (const source of victim.sources) if (!known.has(source)) count++;
  return count;
}

/** Files without an owner, and child processes of a server that has ended. */
async function leftBehind(victim: Victim, id: string, kill: number): Promise<number> {
  const owned = new Set<string>();
  for (const { id: source, divisor } of (await victim.call<LightCopy[]>('GET', `projects/${id}/copies`)).map(
    (each) => ({ id: each.sourceId, divisor: each.divisor }),
  ))
    owned.add(`${source}-${divisor}.mp4`);
  const records = await victim.call<ExportRecord[]>('GET', `projects/${id}/exports`);
  const left: string[] = [];
  for (const name of await readdir(join(victim.data, 'copies')).catch(() => []))
    if (!owned.has(name) && !isOfNow(name)) left.push(name);
  for (const name of await readdir(join(victim.data, 'exports')).catch(() => []))
    if (!records.some((record) => name.startsWith(record.id)) && !isOfNow(name)) left.push(name);
  const uploads = await readdir(join(victim.data, 'media', id)).catch(() => []);
  left.push(...uploads.filter((name) => name.endsWith('.part')));
  if (left.length) console.log(`kill ${kill}: left behind ${left.join(', ')}`);
  return left.length;
}

// The new server already repeats interrupted jobs.
const isOfNow = (name: string): boolean => name.endsWith('.part');

/** Copies and exports that are called ready and do not decode from beginning to end. */
async function corrupt(victim: Victim, id: string, kill: number): Promise<number> {
  let count = 0;
  const faulty = (path: string): boolean => {
    try {
      execFileSync('ffmpeg', ['-v', 'error', '-xerror', '-i', path, '-f', 'null', '-'], {
        stdio: ['ignore', 'ignore', 'pipe'],
      });
      return false;
    } catch {
      return true;
    }
  };
  for (const { state, sourceId, divisor } of await victim.call<LightCopy[]>('GET', `projects/${id}/copies`))
    if (state === 'ready' && faulty(join(victim.data, 'copies', `${sourceId}-${divisor}.mp4`))) count++;
  for (const { state, id: record, proof } of await victim.call<ExportRecord[]>(
    'GET',
    `projects/${id}/exports`,
  )) {
    if (state !== 'ready') continue;
    const path = join(victim.data, 'exports', `${record}.mp4`);
    const sha256 = createHash('sha256')
      .update(await readFile(path))
      .digest('hex');
    if (sha256 !== proof?.sha256 || faulty(path)) count++;
  }
  if (count) console.log(`kill ${kill}: ${count} files that are called ready are corrupt`);
  return count;
}
