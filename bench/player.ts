import { median } from 'd3-array';
import { SHORT_PROJECT } from '@hone/demo';
import { bareDecoder, buildPage, flatOut, withPage } from './browser.js';
import { startWithFootage } from './footage.js';

const ROUNDS = 5;
const FRAMES = 120;

/** The whole player flat out at 1:4 against a bare decoder, on one 4K clip in one browser. */
export async function player(): Promise<Record<string, number>> {
  await buildPage();
  const server = await startWithFootage(SHORT_PROJECT);
  try {
    const sources = await server.services.sources.list(SHORT_PROJECT);
    const clip = sources.find(({ name }) => name.startsWith('Main camera'))!;
    return await withPage(server.url, async (page) => {
      const rounds: { decoder: number; player: number }[] = [];
      for (let round = 0; round < ROUNDS; round++) {
        const decoder = await bareDecoder(page, clip.id, FRAMES);
        const whole = await flatOut(page, SHORT_PROJECT, clip.id, FRAMES);
        rounds.push({ decoder, player: whole });
        console.log(
          `round ${round + 1}: decoder ${decoder.toFixed(1)} frames/s, player ${whole.toFixed(1)} frames/s`,
        );
      }
      return {
        playerToDecoder: median(rounds, (round) => round.player / round.decoder)!,
        playerFramesPerSecond: median(rounds, (round) => round.player)!,
        decoderFramesPerSecond: median(rounds, (round) => round.decoder)!,
      };
    });
  } finally {
    await server.stop();
  }
}
