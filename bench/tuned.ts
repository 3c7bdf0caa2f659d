import { SHORT_PROJECT } from '@hone/demo';
import type { CopyDivisor } from '@hone/core/media';
import { buildPage, playWhole, withPage } from './browser.js';
import { askForCopy, startWithFootage, waitForJobs } from './footage.js';

/** "Slack Water, short" in the real player: from the originals, and from light copies. */
export async function tuned(): Promise<Record<string, number>> {
  await buildPage();
  const server = await startWithFootage(SHORT_PROJECT);
  try {
    return await withPage(server.url, async (page) => {
      const before = await playWhole(page, SHORT_PROJECT, false);
      const sources = (await server.services.sources.list(SHORT_PROJECT)).filter(
        ({ facts }) => facts?.picture,
      );
      const divisorOf = (width: number): CopyDivisor => (width > 2000 ? 4 : 2);
      for (const { id, facts } of sources) {
        await askForCopy(server, SHORT_PROJECT, id, divisorOf(facts!.picture!.size.width));
      }
      await waitForJobs(server, SHORT_PROJECT);
      const after = await playWhole(page, SHORT_PROJECT, true);
      return {
        droppedBefore: before.dropped / before.wanted,
        droppedAfter: after.dropped / after.wanted,
        firstFrameMsBefore: before.firstFrameMs ?? NaN,
        firstFrameMsAfter: after.firstFrameMs ?? NaN,
        framesWanted: after.wanted,
      };
    });
  } finally {
    await server.stop();
  }
}
