import { median } from 'd3-array';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { spawnSync } from 'node:child_process';
import { copyArguments } from '@hone/core/media';
import { SHORT_PROJECT } from '@hone/demo';
import { copyLayoutOf } from '@hone/server';
import { buildPage } from './browser.js';
import { askForCopy, startWithFootage } from './footage.js';

const ROUNDS = 3;
const DIVISOR = 4;

/** Making copies through Hone against the bare ffmpeg command, from the request until the copy can be used. */
export async function optimize(): Promise<Record<string, number>> {
  await buildPage();
  const server = await startWithFootage(SHORT_PROJECT);
  const folder = await mkdtemp(join(tmpdir(), 'hone-optimize-'));
  try {
    const { sources, copies, queue, config } = server.services;
    const clips = (await sources.list(SHORT_PROJECT)).filter(({ facts }) => facts?.picture);
    const ratios: number[] = [];
    for (let round = 0; round < ROUNDS; round++) {
      let bareMs = 0;
      let honeMs = 0;
      for (const clip of clips) {
        for (const old of await copies.list(SHORT_PROJECT))
          if (old.sourceId === clip.id) await copies.remove(old);
        const args = [
          '-v',
          'error',
          '-nostdin',
          '-y',
          '-i',
          clip.path,
          ...copyArguments(copyLayoutOf(clip, DIVISOR), clip.facts!.picture!),
          join(folder, 'bare.mp4'),
        ];
        const bareStart = performance.now();
        if (spawnSync('nice', ['-n', '19', config.ffmpeg, ...args]).status !== 0)
          throw new Error('The bare command failed.');
        bareMs += performance.now() - bareStart;
        const honeStart = performance.now();
        await askForCopy(server, SHORT_PROJECT, clip.id, DIVISOR);
        const job = (await queue.list(SHORT_PROJECT)).find(
          ({ kind, state }) => kind === 'copy' && state !== 'done',
        )!;
        await queue.finished(job.id);
        honeMs += performance.now() - honeStart;
        // What follows a copy must not stand in the way of the next measurement.
        const after = (await queue.list(SHORT_PROJECT)).filter(
          ({ state }) => state === 'waiting' || state === 'running',
        );
        for (const { id } of after) await queue.finished(id);
      }
      ratios.push(bareMs / honeMs);
      console.log(
        `round ${round + 1}: bare ${(bareMs / 1000).toFixed(1)} s, Hone ${(honeMs / 1000).toFixed(1)} s`,
      );
    }
    return { vsFfmpeg: median(ratios)! };
  } finally {
    await server.stop();
    await rm(folder, { recursive: true, force: true });
  }
}
