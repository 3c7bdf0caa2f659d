import { median, sort } from 'd3-array';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { automaticScale, findings, type Finding } from '@hone/core/findings';
import {
  isDisturbed,
  pacingSummary,
  type FrameLog,
  type PacingSummary,
  type RunFacts,
  type Stage,
} from '@hone/core/playback';
import { previewSize } from '@hone/core/levers';
import { UNCALIBRATED, type Calibration } from '@hone/core/cost-model';
import type { Rig } from '@hone/core/machine';
import { predict } from '@hone/core/simulation';
import { DEMO_PROJECT } from '@hone/demo';
import { rational } from '@hone/core/time';
import { configFrom, type RunningServer } from '@hone/server';
import { randomLcg } from 'd3-random';
import type { Page } from 'playwright-core';
import { buildPage, coresOf, playTimeline, startSampling, tryDecoders, withPage } from './browser.js';
import { UHD } from './case-tracks.js';
import { askForCopy, askToRender, startEmpty, startWithFootage, waitForJobs } from './footage.js';
import { readFolder } from './folder-cases.js';
import type { BenchOptions } from './options.js';
import { randomCases, type CaseSource } from './random-cases.js';
import { makeRandomSources } from './random-sources.js';
import {
  learnFrom,
  measuredRig,
  mediaOf,
  put,
  situationFor,
  stretchesOf,
  type Grounds,
  type Media,
} from './predicted-timeline.js';
import { CASE_COPIES, practice, predictCases, type PredictCase } from './predict-cases.js';

/** Plays of each case. Runs on a machine with noisy neighbours differ; the prediction is of their mean. */
const PLAYS = 2;
/**
 * How often at the most: plays that others disturb do not count as long as there are enough that they do not, and where
 * plays differ much, more of them are needed for a mean.
 */
const MOST_PLAYS = 6;
const UNLIKE_PLAYS = 5;
/** Plays that are further apart than this share of the frames wanted differ much. */
const UNLIKE = 0.05;

interface Compared {
  /** Error of the prediction from the mean of the plays. */
  readonly error: number;
  /** Errors of the prediction from each play, and of each play from their mean. */
  readonly errorsOfPlays: readonly number[];
  readonly apart: readonly number[];
  readonly isRightCause: boolean;
  /** Share of the frames that is dropped, as predicted or as measured, whichever is more. */
  readonly droppedShare: number;
  /** Whether the first finding of the log that was predicted is that of the log that was measured. */
  readonly isSameFinding: boolean;
  /** Error, after these plays were learned, of the next prediction from their mean. */
  readonly errorAfterwards: number;
}

/**
 * Timelines that are predicted and then played for real: how far the prediction is off.
 * @param folder of sources and `.otio` files; the demo's own cases without one
 */
export async function predictBench({
  folder,
  seed,
  random,
  fixed,
}: BenchOptions): Promise<Record<string, number>> {
  await buildPage();
  if (folder !== undefined) return figuresOf(await ofFolder(folder));
  const own = seed ?? Math.floor(Math.random() * 1e9);
  console.log(`seed ${own}`);
  const demo = await ofDemo(fixed !== 'none');
  const { compared } = await ofRandom(demo, random ?? RANDOM_CASES, own);
  return figuresOf([...demo.compared, ...compared]);
}

/** Cases that are made by chance, and the sources that they are made of. */
const RANDOM_CASES = 24;
const RANDOM_SOURCES = 10;

/** Plays on a rig, and its calibration after them. */
interface Played {
  readonly compared: readonly Compared[];
  readonly rig: Rig;
  readonly calibration: Calibration;
}

/** @param areAll whether the fixed cases are played, and not those for practice only */
async function ofDemo(areAll: boolean): Promise<Played> {
  const server = await startWithFootage(DEMO_PROJECT);
  try {
    const sources = await server.services.sources.list(DEMO_PROJECT);
    const idOf = (shot: string): string => sources.find(({ name }) => name === shot)!.id;
    for (const [shot, divisor] of CASE_COPIES) await askForCopy(server, DEMO_PROJECT, idOf(shot), divisor);
    await waitForJobs(server, DEMO_PROJECT);
    const rig = await measuredRig(server, DEMO_PROJECT);
    return await played(server, DEMO_PROJECT, rig, practice(idOf), areAll ? predictCases(idOf) : []);
  } finally {
    await server.stop();
  }
}

/** Sources and timelines by chance, on a rig that was measured with other sources. */
async function ofRandom(known: Played, count: number, seed: number): Promise<Played> {
  const folder = await mkdtemp(join(tmpdir(), 'hone-random-'));
  const random = randomLcg(seed);
  const made = await makeRandomSources(
    configFrom(process.env, folder).ffmpeg,
    folder,
    RANDOM_SOURCES,
    random,
  );
  const server = await startEmpty(folder);
  try {
    const { services, url } = server;
    const project = await services.projects.create({ name: 'Random', size: UHD, rate: rational(24) });
    const sources: CaseSource[] = [];
    for (const { path, about, seconds } of made) {
      const { id } = await services.importer.add(project.id, path);
      sources.push({ id, name: about, seconds, hasCopy: false });
    }
    await waitForJobs(server, project.id);
    const copied = sources.slice(0, COPIED_SOURCES);
    for (const { id } of copied) await askForCopy(server, project.id, id, 2);
    await waitForJobs(server, project.id);
    const all = sources.map((source) => ({ ...source, hasCopy: copied.includes(source) }));
    const cases = randomCases(all, count, random, UHD);
    const started = performance.now();
    const rig = await withPage(url, (page) => tryDecoders(page, project.id, known.rig));
    const trials = rig.decoders.length - known.rig.decoders.length;
    console.log(`${trials} trials of decoders in ${((performance.now() - started) / 1000).toFixed(1)} s`);
    await put(url, 'rigs/own', rig);
    return await played(server, project.id, rig, [], cases, known.calibration);
  } finally {
    await server.stop();
    await rm(folder, { recursive: true, force: true });
  }
}

const COPIED_SOURCES = 3;

async function ofFolder(folder: string): Promise<readonly Compared[]> {
  const server = await startEmpty(folder);
  try {
    const { id, size, timelines } = await readFolder(server, folder);
    const cases = timelines.map(({ name, timeline }): PredictCase => ({
      ...{ name, timeline, lightCopies: false },
      playScale: size.height > 1080 ? 4 : 2,
    }));
    const rig = await measuredRig(server, id);
    return (await played(server, id, rig, cases.slice(0, 1), cases)).compared;
  } finally {
    await server.stop();
  }
}

/** Plays a few for practice, then predicts and plays each. */
async function played(
  server: RunningServer,
  projectId: string,
  rig: Rig,
  first: readonly PredictCase[],
  cases: readonly PredictCase[],
  before: Calibration = UNCALIBRATED,
): Promise<Played> {
  const media = await mediaOf(server, projectId);
  return withPage(server.url, async (page) => {
    const cores = await coresOf(page);
    let calibration = before;
    const compared: Compared[] = [];
    const next = (each: PredictCase): ReturnType<typeof compare> =>
      compare(each, { server, projectId, page, rig, media, cores, calibration });
    for (const each of first) ({ calibration } = await next(each));
    for (const each of cases) {
      const result = await next(each);
      calibration = result.calibration;
      compared.push(result);
    }
    return { compared, rig, calibration };
  });
}

/** By nearest rank, so that it is the error of a case. */
const p90 = (values: readonly number[]): number => sort(values)[Math.ceil(0.9 * values.length) - 1]!;

/** A case counts as limited where more than this share of its frames is dropped, as predicted or as measured. */
const LIMITED = 0.02;

function figuresOf(compared: readonly Compared[]): Record<string, number> {
  const errors = compared.map(({ error }) => error);
  const limited = compared.filter(({ droppedShare }) => droppedShare > LIMITED);
  const share = (of: readonly Compared[], is: (each: Compared) => boolean): number =>
    of.filter(is).length / Math.max(1, of.length);
  return {
    cases: compared.length,
    medianError: median(errors)!,
    p90Error: p90(errors),
    worstError: Math.max(...errors),
    rightCause: compared.filter(({ isRightCause }) => isRightCause).length / compared.length,
    limitedCases: limited.length,
    limitedMedianError: limited.length ? median(limited.map(({ error }) => error))! : 0,
    limitedP90Error: limited.length ? p90(limited.map(({ error }) => error)) : 0,
    limitedRightCause: share(limited, ({ isRightCause }) => isRightCause),
    sameDiagnosis: share(limited, ({ isSameFinding }) => isSameFinding),
    afterwardsMedianError: median(compared.map(({ errorAfterwards }) => errorAfterwards))!,
    afterwardsP90Error: p90(compared.map(({ errorAfterwards }) => errorAfterwards)),
    p90OfSinglePlays: p90(compared.flatMap(({ errorsOfPlays }) => errorsOfPlays)),
    p90BetweenPlays: p90(compared.flatMap(({ apart }) => apart)),
  };
}

interface Bench extends Grounds {
  readonly server: RunningServer;
  readonly projectId: string;
  readonly page: Page;
  readonly calibration: Calibration;
}

interface Play {
  readonly log: FrameLog;
  readonly summary: PacingSummary;
  readonly facts: Pick<RunFacts, 'serverDecoded' | 'sound' | 'othersShare'>;
  readonly othersShare: number | null;
}

const isCalm = (play: Play): boolean => !isDisturbed(play);

/** Predicts, then plays, then learns. */
async function compare(
  given: PredictCase,
  { server, projectId, page, rig, media, cores, calibration }: Bench,
): Promise<Compared & { calibration: Calibration }> {
  const { name, timeline } = given;
  await simulateDrive(server, given.driveId ?? null);
  const grounds = { rig, cores, media: await withRendered(given, { server, projectId, media }) };
  const asGiven = situationFor(given, grounds, calibration);
  const first = predict(asGiven);
  const playScale = given.autoScale ? automaticScale(asGiven, first) : given.playScale;
  const situation = { ...asGiven, tuning: { ...asGiven.tuning, playScale, restScale: playScale } };
  const prediction = playScale === given.playScale ? first : predict(situation);
  const all: Play[] = [];
  const rate = timeline.rate.num / timeline.rate.den;
  const shown = (play: Play): number => play.summary.framesPerSecondShown;
  const isEnough = (): boolean => {
    const calm = all.filter(isCalm).map(shown);
    const isUnlike = Math.max(...calm) - Math.min(...calm) > UNLIKE * rate;
    return calm.length >= (isUnlike ? UNLIKE_PLAYS : PLAYS);
  };
  while (all.length < MOST_PLAYS && !isEnough()) {
    await startSampling(page);
    const { ranges } = prediction;
    const { log, facts } = await playTimeline(page, projectId, timeline, situation.tuning, ranges);
    const othersShare = await server.services.sampler.othersShare();
    all.push({
      log,
      summary: pacingSummary(log, timeline.rate),
      facts: { ...facts, othersShare },
      othersShare,
    });
  }
  const plays = all.some(isCalm) ? all.filter(isCalm) : all;
  const said = prediction.summary.framesPerSecondShown;
  const was = plays.reduce((sum, play) => sum + shown(play), 0) / plays.length;
  const error = Math.abs(said - was) / rate;
  const usual = plays.toSorted((a, b) => Math.abs(shown(a) - was) - Math.abs(shown(b) - was));
  const { log: usualLog, summary, facts } = usual[0]!;
  const taught = plays
    .filter(isCalm)
    .reduce((given, { log }) => learnFrom(given, log, prediction.ranges), situation);
  const known = predict({ ...taught, decoding: prediction.ranges ?? 'everything' });
  const common = { scrub: null, scrubWait: null, planned: null };
  const [expected] = findings(prediction.log, { ...common, situation, prediction, run: null });
  const [found] = findings(usualLog, {
    ...common,
    situation: taught,
    prediction: known,
    run: { log: usualLog, summary, facts },
  });
  const afterwards = Math.abs(known.summary.framesPerSecondShown - was) / rate;
  const served = facts.serverDecoded.length > 0;
  console.log(
    `${name}: predicted ${said.toFixed(1)} (${findingText(expected)}, cores ${(100 * prediction.coreUse).toFixed(0)} %), measured ${was.toFixed(1)} (${findingText(found)}) of ${rate.toFixed(1)}, error ${error.toFixed(3)}, then ${afterwards.toFixed(3)}, plays ${all.map((play) => `${shown(play).toFixed(1)}${isCalm(play) ? '' : ' (disturbed)'}`).join(' ')}${served ? ', decoded by the server' : ''}`,
  );
  console.log(`   ${stagesOf(prediction.summary, summary)}`);
  return {
    error,
    errorsOfPlays: plays.map((play) => Math.abs(said - shown(play)) / rate),
    apart: plays.map((play) => Math.abs(was - shown(play)) / rate),
    isRightCause: expected?.stage === found?.stage,
    droppedShare: 1 - Math.min(said, was) / rate,
    isSameFinding: expected?.kind === found?.kind,
    errorAfterwards: afterwards,
    calibration: taught.calibration,
  };
}

/** The media of a case with what is rendered for it in advance. */
async function withRendered(
  { timeline, playScale, rendered }: PredictCase,
  { server, projectId, media }: Pick<Bench, 'server' | 'projectId' | 'media'>,
): Promise<Media> {
  if (rendered) {
    const { projects } = server.services;
    const { revision, delivery } = await projects.get(projectId);
    await projects.change(projectId, { revision, timeline, delivery });
    await askToRender(server, projectId, rendered, previewSize(timeline.size, playScale));
    await waitForJobs(server, projectId);
  }
  return { ...media, stretches: await stretchesOf(server.url) };
}

const findingText = (finding: Finding | undefined): string =>
  finding ? `${finding.kind}${finding.stage ? ` in ${finding.stage}` : ''}` : 'none';

function stagesOf(predicted: PacingSummary, measured: PacingSummary): string {
  return (Object.keys(predicted.stageMs) as Stage[])
    .map((stage) => `${stage} ${predicted.stageMs[stage].toFixed(1)}/${measured.stageMs[stage].toFixed(1)}`)
    .join(', ');
}

const simulateDrive = ({ url }: RunningServer, driveId: string | null): Promise<void> =>
  put(url, 'simulation', { driveId });
