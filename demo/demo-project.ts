import { existsSync } from 'node:fs';
import { mkdir } from 'node:fs/promises';
import { join } from 'node:path';
import { Worker } from 'node:worker_threads';
import type { Timeline } from '@hone/core/timeline';
import { CancelledError, type JobContext, type JobHandler, type Services } from '@hone/server';
import { SHOTS } from './footage/shots.js';
import type { ShotOrder } from './footage/make-shot.js';
import { SLACK_WATER_SHORT, timelineOf } from './scenario.js';
import { duskTable, slackWater } from './slack-water.js';

export const DEMO_PROJECT = 'slack-water';
export const SHORT_PROJECT = 'slack-water-short';

const WAITS = 'The demo makes this source when it first starts.';

type IdOf = (shot: string) => string;

const PROJECTS = {
  [DEMO_PROJECT]: { name: 'Slack Water', timeline: slackWater },
  [SHORT_PROJECT]: {
    name: 'Slack Water, short',
    timeline: (idOf: IdOf): Timeline => timelineOf(SLACK_WATER_SHORT, idOf),
  },
} as const;

export type DemoProjectId = keyof typeof PROJECTS;

/** The kind of job that makes one shot of the demo footage. */
export function footageHandler({ config, sources, importer }: Services): JobHandler {
  return {
    kind: 'footage',
    lane: 'heavy',
    priority: 7,
    async run({ job, signal, progress }: JobContext) {
      const row = await sources.get(job.subjectId);
      if (!existsSync(row.path)) {
        await draw({ file: row.name, path: row.path, ffmpeg: config.ffmpeg }, signal, progress);
      }
      await importer.read(row);
    },
    async abandoned(subjectId) {
      const row = await sources.get(subjectId);
      const problem = 'This piece of demo footage was not made. Start the demo again to make it.';
      await sources.change(row, { state: 'missing', problem });
    },
  };
}

/** The shots that a timeline is cut from. */
function shotsOf(timelineFor: (idOf: IdOf) => Timeline): ReadonlySet<string> {
  const used = new Set<string>();
  timelineFor((shot) => {
    used.add(shot);
    return shot;
  });
  return used;
}

/** Makes a demo project when it is not there, and asks for the footage that is missing. */
export async function prepareDemo(
  { config, projects, sources, tables, queue }: Services,
  id: DemoProjectId,
): Promise<void> {
  const folder = join(config.dataFolder, 'media', 'slack-water');
  await mkdir(folder, { recursive: true });
  const { name, timeline: timelineFor } = PROJECTS[id];
  const known = await projects.list();
  const used = shotsOf((idOf) => timelineFor(idOf, ''));
  if (!known.some((project) => project.id === id)) {
    const size = { width: 3840, height: 2160 };
    const project = await projects.create({ name, size, rate: { num: 24, den: 1 } }, id);
    const ids = new Map<string, string>();
    for (const shot of SHOTS.filter(({ file }) => used.has(file))) {
      const row = await sources.add({
        projectId: id,
        name: shot.file,
        path: join(folder, shot.file),
        state: 'expected',
        problem: WAITS,
      });
      ids.set(shot.file, row.id);
    }
    const table = await tables.keep(duskTable());
    const timeline = timelineFor((shot) => ids.get(shot)!, table.id);
    // The empty timeline before it is nothing to go back to.
    await projects.change(id, {
      revision: project.revision,
      timeline,
      delivery: project.delivery,
      parent: null,
    });
  }
  for (const row of await sources.list(id)) {
    if (row.state === 'ready' && existsSync(row.path)) continue;
    if (row.state !== 'expected') await sources.change(row, { state: 'expected', problem: WAITS });
    await queue.add({
      projectId: id,
      kind: 'footage',
      title: `Demo footage: ${row.name}`,
      subjectId: row.id,
    });
  }
}

function draw(order: ShotOrder, signal: AbortSignal, progress: (done: number) => void): Promise<void> {
  return new Promise((resolve, reject) => {
    const worker = new Worker(new URL('./footage/make-shot.js', import.meta.url), { workerData: order });
    const abort = (): void => {
      void worker.terminate();
      reject(new CancelledError('Cancelled.'));
    };
    signal.addEventListener('abort', abort);
    worker.on('message', progress);
    worker.on('error', reject);
    worker.on('exit', (code) => {
      signal.removeEventListener('abort', abort);
      if (code === 0) resolve();
      else reject(new Error(`Drawing ${order.file} ended with code ${code}.`));
    });
  });
}
