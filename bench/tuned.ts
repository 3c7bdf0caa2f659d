import { SHORT_PROJECT, SLACK_WATER_SHORT } from '@hone/demo';
import { UNCALIBRATED } from '@hone/core/cost-model';
import type { CopyDivisor, SourceFacts } from '@hone/core/media';
import { pacingSummary, type PacingSummary } from '@hone/core/playback';
import { predict } from '@hone/core/simulation';
import { rational, toNumber, type Rational } from '@hone/core/time';
import type { Timeline } from '@hone/core/timeline';
import { buildPage, coresOf, playTimeline, withPage } from './browser.js';
import { effect, pictureTrack, UHD, type Cut } from './case-tracks.js';
import { askForCopy, startWithFootage, waitForJobs } from './footage.js';
import { measuredRig, mediaOf, situationFor, type Grounds } from './predicted-timeline.js';

/** Weight of the timeline: its speed, and its number of translucent layers. */
interface Weight {
  readonly speed: Rational;
  readonly layers: number;
}

const WEIGHTS: readonly Weight[] = [
  [rational(1), 1],
  [rational(3, 2), 1],
  [rational(2), 1],
  [rational(3), 1],
  [rational(2), 2],
  [rational(3), 2],
  [rational(3), 3],
  [rational(4), 4],
  [rational(4), 8],
].map(([speed, layers]) => ({ speed, layers }) as Weight);

/** A source as far as a timeline needs it. */
interface CutSource {
  readonly id: string;
  readonly name: string;
  readonly facts: SourceFacts | null;
}

/** A timeline is heavy enough when so many of its frames are predicted to be dropped. */
const HEAVY = 0.4;

/**
 * "Slack Water, short" in the real player, from the originals and from light copies. By what the machine measures it is
 * made heavier, in speed and layers, until it is beyond the machine from its originals.
 */
export async function tuned(): Promise<Record<string, number>> {
  await buildPage();
  const server = await startWithFootage(SHORT_PROJECT);
  try {
    const rig = await measuredRig(server, SHORT_PROJECT);
    const sources = (await server.services.sources.list(SHORT_PROJECT)).filter(({ facts }) => facts?.picture);
    return await withPage(server.url, async (page) => {
      const grounds: Grounds = {
        rig,
        media: await mediaOf(server, SHORT_PROJECT),
        cores: await coresOf(page),
      };
      const { weight, timeline } = heavyEnough(sources, grounds);
      const play = async (lightCopies: boolean): Promise<PacingSummary> => {
        const tuning = { playScale: 4, restScale: 4, lightCopies } as const;
        const { log } = await playTimeline(page, SHORT_PROJECT, timeline, tuning);
        return pacingSummary(log, timeline.rate);
      };
      const before = await play(false);
      const divisorOf = (width: number): CopyDivisor => (width > 2000 ? 4 : 2);
      for (const { id, facts } of sources)
        await askForCopy(server, SHORT_PROJECT, id, divisorOf(facts!.picture!.size.width));
      await waitForJobs(server, SHORT_PROJECT);
      const after = await play(true);
      return {
        droppedBefore: before.dropped / before.wanted,
        droppedAfter: after.dropped / after.wanted,
        firstFrameMsBefore: before.firstFrameMs ?? NaN,
        firstFrameMsAfter: after.firstFrameMs ?? NaN,
        framesWanted: after.wanted,
        speed: toNumber(weight.speed),
        layers: weight.layers,
      };
    });
  } finally {
    await server.stop();
  }
}

/** The lightest of the timelines that is predicted to be beyond the machine. */
function heavyEnough(
  sources: readonly CutSource[],
  grounds: Grounds,
): { readonly weight: Weight; readonly timeline: Timeline } {
  for (const weight of WEIGHTS) {
    const timeline = weighted(sources, weight);
    const situation = situationFor({ timeline, playScale: 4, lightCopies: false }, grounds, UNCALIBRATED);
    const { dropped, wanted } = predict(situation).summary;
    console.log(
      `speed ${toNumber(weight.speed)}, ${weight.layers} layers: ${dropped} of ${wanted} frames predicted to be dropped`,
    );
    if (dropped >= HEAVY * wanted) return { weight, timeline };
  }
  throw new Error('This machine plays the heaviest timeline from its originals: add a heavier one.');
}

function weighted(sources: readonly CutSource[], { speed, layers }: Weight): Timeline {
  const sourceOf = (shot: string): CutSource => sources.find(({ name }) => name === shot)!;
  const rate = rational(24);
  const cuts = SLACK_WATER_SHORT.map(([name, second, frames]): Cut => {
    const { id, facts } = sourceOf(name);
    const { frameCount, averageRate } = facts!.picture!;
    const seconds = frameCount / toNumber(averageRate) - second - 0.1;
    const most = Math.floor((seconds * toNumber(rate)) / toNumber(speed));
    return { name, sourceId: id, second, frames: Math.min(frames, most), speed };
  });
  const tracks = Array.from({ length: layers }, (_, layer) =>
    pictureTrack(
      `p${layer}`,
      // Each layer begins with another cut, so that they differ everywhere.
      [...cuts.slice(layer), ...cuts.slice(0, layer)].map((cut) => ({
        ...cut,
        effects: layer ? [effect('transform', { opacity: 50 })] : [],
      })),
    ),
  );
  return { rate, startFrame: 0, size: UHD, tracks };
}
