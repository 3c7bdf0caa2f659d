import { median } from 'd3-array';
import { DEMO_SHOTS, DEMO_PROJECT } from '@hone/demo';
import { longestFreezes, frameBudgetMs, pacingSummary } from '@hone/core/playback';
import { UNCALIBRATED } from '@hone/core/cost-model';
import { predict } from '@hone/core/simulation';
import { rational, type Rational } from '@hone/core/time';
import type { Effect, Timeline } from '@hone/core/timeline';
import { buildPage, coresOf, playTimeline, withPage } from './browser.js';
import { effect, pictureTrack, UHD, type Cut } from './case-tracks.js';
import { startWithFootage, waitForJobs } from './footage.js';
import { oracleFrames } from './oracle.js';
import { learnFrom, measuredRig, mediaOf, situationFor } from './predicted-timeline.js';

const { mill, pit, drone, workshop } = DEMO_SHOTS;
const PLAYS = 2;
/** Effect of a translucent layer, so that the picture below is decoded as well. */
const THROUGH: readonly Effect[] = [effect('transform', { opacity: 60 })];

interface Case {
  readonly name: string;
  readonly timeline: Timeline;
}

/** Timelines beyond a machine of two cores: what a player shows that degrades well, against one that knew all costs. */
export async function overload(): Promise<Record<string, number>> {
  await buildPage();
  const server = await startWithFootage(DEMO_PROJECT);
  try {
    await waitForJobs(server, DEMO_PROJECT);
    const sources = await server.services.sources.list(DEMO_PROJECT);
    const rig = await measuredRig(server, DEMO_PROJECT);
    const media = await mediaOf(server, DEMO_PROJECT);
    return await withPage(server.url, async (page) => {
      const cores = await coresOf(page);
      const shares: number[] = [];
      const freezes: number[] = [];
      for (const { name, timeline } of cases((shot) => sources.find((each) => each.name === shot)!.id)) {
        const given = { timeline, playScale: 4, lightCopies: false } as const;
        let situation = situationFor(given, { rig, media, cores }, UNCALIBRATED);
        const shown: number[] = [];
        let freezeMs = 0;
        for (let play = 0; play < PLAYS; play++) {
          const { ranges } = predict(situation);
          const { log } = await playTimeline(page, DEMO_PROJECT, timeline, situation.tuning, ranges);
          situation = learnFrom(situation, log, ranges);
          shown.push(pacingSummary(log, timeline.rate).shown);
          const [longest] = longestFreezes(log, frameBudgetMs(timeline.rate));
          freezeMs = Math.max(freezeMs, longest?.freezeMs ?? 0);
        }
        const { workload } = predict(situation);
        const most = oracleFrames(workload);
        const share = median(shown)! / most;
        console.log(
          `${name}: shown ${shown.join(', ')}, oracle ${most}, of ${workload.to - workload.from}; ${share.toFixed(2)}, longest freeze ${freezeMs.toFixed(0)} ms`,
        );
        shares.push(share);
        freezes.push(freezeMs);
      }
      return {
        cases: shares.length,
        vsOracle: median(shares)!,
        worstVsOracle: Math.min(...shares),
        longestFreezeMs: Math.max(...freezes),
      };
    });
  } finally {
    await server.stop();
  }
}

type Shot = readonly [shot: string, second: number, frames: number];

function cases(idOf: (shot: string) => string): Case[] {
  const cut =
    (more: Partial<Cut> = {}) =>
    ([name, second, frames]: Shot): Cut => ({ name, sourceId: idOf(name), second, frames, ...more });
  const timelineOf = (tracks: Timeline['tracks'], rate: Rational = rational(24)): Timeline => ({
    rate,
    startFrame: 0,
    size: UHD,
    tracks,
  });
  const row = (shots: readonly Shot[], fade = 0, more: Partial<Cut> = {}): Timeline['tracks'][number] =>
    pictureTrack('p', shots.map(cut(more)), fade);
  const layers = (shots: readonly Shot[]): Timeline =>
    timelineOf(shots.map((shot, at) => pictureTrack(`p${at}`, [cut(at ? { effects: THROUGH } : {})(shot)])));
  const every = (count: number, frames: number, of: (at: number) => readonly [string, number]): Shot[] =>
    Array.from({ length: count }, (_, at): Shot => [...of(at), frames]);
  const cameras = (at: number): readonly [string, number] => [at % 2 ? pit : mill, 1 + (at % 3)];
  return [
    { name: 'short cuts between cameras', timeline: timelineOf([row(every(24, 10, cameras))]) },
    { name: 'cuts of half a second', timeline: timelineOf([row(every(16, 15, cameras))]) },
    {
      name: 'short cuts within one camera',
      timeline: timelineOf([row(every(16, 15, (at) => [mill, 0.4 + ((at * 7) % 10)]))]),
    },
    { name: 'crossfades over long groups', timeline: timelineOf([row(every(14, 18, cameras), 6)]) },
    { name: 'long crossfades over long groups', timeline: timelineOf([row(every(6, 40, cameras), 12)]) },
    {
      name: 'two layers of 4K',
      timeline: layers([
        [mill, 1, 220],
        [pit, 0, 110],
      ]),
    },
    {
      name: 'three layers',
      timeline: layers([
        [mill, 1, 160],
        [pit, 0, 110],
        [drone, 0, 140],
      ]),
    },
    {
      name: 'four layers',
      timeline: layers([
        [mill, 1, 140],
        [pit, 0, 110],
        [drone, 0, 130],
        [workshop, 0, 140],
      ]),
    },
    {
      name: '60 on 24',
      timeline: timelineOf([
        row([
          [pit, 0, 112],
          [drone, 0, 130],
        ]),
      ]),
    },
    {
      name: 'double speed',
      timeline: timelineOf([
        row(
          [
            [mill, 0.5, 120],
            [pit, 0.2, 50],
          ],
          0,
          { speed: rational(2) },
        ),
      ]),
    },
    {
      name: 'backwards',
      timeline: timelineOf([
        row(
          [
            [mill, 9, 120],
            [workshop, 8, 100],
          ],
          0,
          { speed: rational(-1) },
        ),
      ]),
    },
    { name: 'main camera at 60', timeline: timelineOf([row([[mill, 0.5, 400]])], rational(60)) },
  ];
}
