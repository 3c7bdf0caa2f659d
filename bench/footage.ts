import { mkdtemp } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { FrameRange, FrameSize } from '@hone/core/timeline';
import type { CopyDivisor } from '@hone/core/media';
import { configFrom, startServer, type RunningServer } from '@hone/server';
import { footageHandler, prepareDemo, type DemoProjectId } from '@hone/demo';
import { PAGE_FOLDER } from './browser.js';

const root = fileURLToPath(new URL('../../', import.meta.url));

/** Starts a server on a free port with a demo project, and waits until its footage is made. */
export async function startWithFootage(id: DemoProjectId): Promise<RunningServer> {
  const dataFolder = process.env['HONE_BENCH_DATA'] ?? `${root}.hone/bench`;
  const config = { ...configFrom({ ...process.env, HONE_DATA: dataFolder, PORT: '0' }, root), port: 0 };
  const server = await startServer(config, {
    extraPages: PAGE_FOLDER,
    jobKinds: (services) => [footageHandler(services)],
    prepare: (services) => prepareDemo(services, id),
  });
  await waitForJobs(server, id);
  return server;
}

/** Starts a server on a free port with nothing in it, that may read a folder. */
export async function startEmpty(folder: string): Promise<RunningServer> {
  const dataFolder = await mkdtemp(join(tmpdir(), 'hone-bench-folder-'));
  const env = { ...process.env, HONE_DATA: dataFolder, HONE_MEDIA: folder, HONE_MEASURE: 'asked' };
  return startServer({ ...configFrom(env, root), port: 0 }, { extraPages: PAGE_FOLDER });
}

/** Asks for a light copy as the page does. */
export async function askForCopy(
  { url }: RunningServer,
  projectId: string,
  sourceId: string,
  divisor: CopyDivisor,
): Promise<void> {
  const reply = await fetch(`${url}/api/projects/${projectId}/copies`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ sourceIds: [sourceId], divisor }),
  });
  if (!reply.ok) throw new Error(await reply.text());
}

/** Asks for frames of a project's timeline to be rendered in advance, as the page does. @returns identifier of the job */
export async function askToRender(
  { url }: RunningServer,
  projectId: string,
  range: FrameRange,
  size: FrameSize,
): Promise<string> {
  const reply = await fetch(`${url}/api/projects/${projectId}/cached-stretches`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ ranges: [range], size }),
  });
  if (!reply.ok) throw new Error(await reply.text());
  return ((await reply.json()) as { id: string }).id;
}

/** Jobs without which there is nothing to measure. */
const NEEDED = ['footage', 'import', 'copy', 'index', 'stretch'];

/**
 * Waits until no job of a project waits or runs.
 * @throws Error when one has failed that is needed; others are named and left
 */
export async function waitForJobs({ services: { queue } }: RunningServer, projectId: string): Promise<void> {
  for (;;) {
    const busy = (await queue.list(projectId)).filter(
      ({ state }) => state === 'waiting' || state === 'running',
    );
    if (busy.length === 0) return;
    for (const { id } of busy) {
      const { kind, state, title, problem } = await queue.finished(id);
      if (state !== 'failed') continue;
      if (NEEDED.includes(kind)) throw new Error(`${title}: ${problem}`);
      console.log(`${title}: ${problem}`);
    }
  }
}
