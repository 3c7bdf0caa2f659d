import { median } from 'd3-array';
import { spawnSync } from 'node:child_process';
import { availableParallelism } from 'node:os';
import { scaleColours } from '@hone/core/media';
import { SHORT_PROJECT } from '@hone/demo';
import { buildPage, flatOut, serverPath, withPage } from './browser.js';
import { startWithFootage, waitForJobs } from './footage.js';
import { processorMs } from './processor-time.js';

const ROUNDS = 5;
const FRAMES = 240;
const TARGET = { width: 960, height: 540 };

/**
 * The server's decoder into the player at 1:4 against bare ffmpeg to nothing with the same scaling.
 * @returns `processorBound`: what `vsFfmpeg` would be if no core was ever idle, by the processor time that was used for
 *   decoding, delivery and receipt together
 */
export async function serverdecode(): Promise<Record<string, number>> {
  await buildPage();
  const server = await startWithFootage(SHORT_PROJECT);
  try {
    await waitForJobs(server, SHORT_PROJECT);
    const { sources, config, limits } = server.services;
    const clip = (await sources.list(SHORT_PROJECT)).find(({ name }) => name.startsWith('Main camera'))!;
    const threads = await limits.decoderArguments();
    const filters = `scale=${TARGET.width}:${TARGET.height}:flags=area:${scaleColours(clip.facts!.picture!)},format=yuv420p`;
    const args = ['-v', 'error', '-nostdin', ...threads, '-i', clip.path, '-an', '-vf', filters];
    const bare = (): number => {
      const start = performance.now();
      const { status } = spawnSync(config.ffmpeg, [...args, '-frames:v', String(FRAMES), '-f', 'null', '-']);
      if (status !== 0) throw new Error('The bare command failed.');
      return (1000 * FRAMES) / (performance.now() - start);
    };
    return await withPage(server.url, async (page) => {
      const ratios: number[] = [];
      const bounds: number[] = [];
      const shownRatios: number[] = [];
      for (let round = 0; round < ROUNDS; round++) {
        // ffmpeg before and after, since the speed of the machine itself changes meanwhile.
        const before = bare();
        const usedBefore = processorMs();
        const hone = await serverPath(page, clip.id, TARGET, FRAMES);
        const usedMs = (processorMs() ?? NaN) - (usedBefore ?? NaN);
        const between = bare();
        const shown = await flatOut(page, SHORT_PROJECT, clip.id, FRAMES, true);
        const after = bare();
        const ffmpeg = (before + between) / 2;
        const mostFramesPerSecond = (1000 * FRAMES * availableParallelism()) / usedMs;
        ratios.push(hone / ffmpeg);
        bounds.push(mostFramesPerSecond / ffmpeg);
        shownRatios.push((2 * shown) / (between + after));
        const text = [before, hone, between, shown, after, mostFramesPerSecond].map((rate) =>
          rate.toFixed(1),
        );
        console.log(
          `round ${round + 1}: frames/s of ffmpeg ${text[0]}, Hone ${text[1]}, ffmpeg ${text[2]}, drawn too ${text[3]}, ffmpeg ${text[4]}; without idle cores Hone ${text[5]}`,
        );
      }
      return {
        vsFfmpeg: median(ratios)!,
        processorBound: median(bounds)!,
        drawnVsFfmpeg: median(shownRatios)!,
      };
    });
  } finally {
    await server.stop();
  }
}
