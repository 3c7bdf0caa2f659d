import { DEMO_PROJECT, DEMO_SHOTS } from '@hone/demo';
import { PLAINEST } from '@hone/core/levers';
import { pacingSummary } from '@hone/core/playback';
import { rational } from '@hone/core/time';
import type { Timeline } from '@hone/core/timeline';
import { buildPage, playAgain, withPage } from './browser.js';
import { effect, pictureTrack, UHD, type Cut } from './case-tracks.js';
import { startWithFootage, waitForJobs } from './footage.js';

const { mill, pit } = DEMO_SHOTS;
const RATE = 24;
const TIMES = 3;

/**
 * Plays a stretch that is beyond the machine several times in a row, and sixteen cuts into one long group of pictures: what
 * keeping decoded pictures in memory brings.
 */
export async function replay(): Promise<Record<string, number>> {
  await buildPage();
  const server = await startWithFootage(DEMO_PROJECT);
  try {
    await waitForJobs(server, DEMO_PROJECT);
    const sources = await server.services.sources.list(DEMO_PROJECT);
    const idOf = (shot: string): string => sources.find(({ name }) => name === shot)!.id;
    const cut = (name: string, second: number, frames: number, more: Partial<Cut> = {}): Cut => ({
      ...{ name, sourceId: idOf(name), second, frames, ...more },
    });
    const timelineOf = (...tracks: Timeline['tracks'][number][]): Timeline => ({
      ...{ rate: rational(RATE), startFrame: 0, size: UHD, tracks },
    });
    const translucent = [effect('transform', { opacity: 60 })];
    const stretch = timelineOf(
      pictureTrack('below', [cut(mill, 1, 96)]),
      pictureTrack('above', [cut(pit, 0, 96, { effects: translucent })]),
    );
    const cuts = timelineOf(
      pictureTrack(
        'cuts',
        Array.from({ length: 16 }, (_, at) => cut(mill, 0.4 + ((at * 7) % 10) / 2, 15)),
      ),
    );
    return await withPage(server.url, async (page) => {
      const play = async (name: string, timeline: Timeline): Promise<{ shown: number; wanted: number }[]> => {
        const logs = await playAgain(page, DEMO_PROJECT, timeline, { ...PLAINEST, playScale: 4 }, TIMES);
        const passes = logs.map((log) => pacingSummary(log, timeline.rate));
        console.log(`${name}: ${passes.map(({ shown, wanted }) => `${shown} of ${wanted}`).join(', then ')}`);
        return passes;
      };
      const dropped = ({ shown, wanted }: { shown: number; wanted: number }): number => 1 - shown / wanted;
      const passes = await play('two layers of 4K', stretch);
      const ofCuts = await play('sixteen cuts into one group', cuts);
      const perSecond = ({ shown, wanted }: { shown: number; wanted: number }): number =>
        (RATE * shown) / wanted;
      return {
        droppedFirst: dropped(passes[0]!),
        droppedSecond: dropped(passes[1]!),
        droppedThird: dropped(passes[2]!),
        cutsFramesPerSecond: perSecond(ofCuts[0]!),
        cutsFramesPerSecondAgain: perSecond(ofCuts[1]!),
      };
    });
  } finally {
    await server.stop();
  }
}
