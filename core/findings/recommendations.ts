import { previewPixels, PREVIEW_SCALES } from '../levers/index.js';
import { isRealTime, STAGES, type Stage } from '../playback/index.js';
import type { Situation } from '../cost-model/index.js';
import { expectedDrops, predict, scrubWait, type Prediction, type ScrubWait } from '../simulation/index.js';
import { toNumber } from '../time/index.js';
import { mergeRanges, type FrameRange, type FrameSize } from '../timeline/index.js';
import type { Finding } from './finding.js';
import {
  aimOf,
  bypassChanges,
  applyLeverChange,
  leverChangesFor,
  widerCopies,
  type Aim,
  type LeverChange,
} from './lever-changes.js';
import { renderPrice, type RenderPrice } from './stretch-renders.js';
import { stageLoadsOf, windowsOf } from './utilisation.js';

/** A figure as it is and as it will be. */
export interface Change {
  readonly before: number;
  readonly after: number;
}

/** Predicted effect of a lever change on one finding. */
export interface Recommendation {
  readonly change: LeverChange;
  readonly aim: Aim;
  /** Frames a second that are shown in the stretches of the finding. */
  readonly framesPerSecond: Change;
  /** Time to the first picture, or to one of scrubbing, ms; null where the aim is playback. */
  readonly waitMs: Change | null;
  /** Whether the whole timeline is in real time then. */
  readonly isRealTime: boolean;
  /** Whether the gain is worth the price; of a sharper picture, whether it still plays. */
  readonly helps: boolean;
  /** The load of the stage that the finding shows in, in its stretches, per cent of the frame budget. */
  readonly loadPercent: Change & { readonly stage: Stage };
  /** Pixels of the preview then, at rest where the aim is scrubbing. */
  readonly pixels: FrameSize;
  /** Expected cost of a render; null for levers that render nothing. */
  readonly price: RenderPrice | null;
}

/** Least gain of a lever, as a share of the wanted frames; half the dropped frames suffice as well. */
const WORTH = 0.03;
/** Least gain where the bottleneck has as much work as before: more memory or buffers alone gain little. */
const WORTH_BESIDE = 0.1;
/** Largest ratio of a wait after to before, or of a load where no drop was predicted, that counts as shorter. */
const SHORTER = 0.8;

/**
 * Lever changes that are predicted for findings in any case, each once.
 * @returns one list for each finding, in their order
 */
function changesFor(situation: Situation, now: Prediction, findings: readonly Finding[]): LeverChange[][] {
  return findings.map((finding, at) => {
    const aim = aimOf(finding);
    // Each finding has other frames to render, and each prediction of that takes seconds: of the main finding only.
    return aim === null
      ? []
      : leverChangesFor(aim, finding, situation, now).filter(
          ({ lever }) => at === 0 || lever !== 'render stretches',
        );
  });
}

/**
 * Predicts for each finding what the levers would bring that may answer it, the most helpful first; those that bring
 * nothing are there too, so that it can be said why.
 * @yields after each prediction: a caller with something more urgent to do may end it there
 * @returns one list for each finding, in their order
 */
export function* recommending(
  situation: Situation,
  now: Prediction,
  findings: readonly Finding[],
): Generator<void, Recommendation[][]> {
  const evaluator = new WhatIfEvaluator(situation, now);
  const changes = changesFor(situation, now, findings);
  for (const change of changes.flat()) {
    evaluator.prepare(change);
    yield;
  }
  const all: Recommendation[][] = [];
  for (const [at, finding] of findings.entries()) {
    all.push(recommendFor(evaluator, changes[at]!, finding, situation, now));
    yield;
  }
  return all;
}

/** @param changes that are predicted in any case */
function recommendFor(
  evaluator: WhatIfEvaluator,
  changes: readonly LeverChange[],
  finding: Finding,
  situation: Situation,
  now: Prediction,
): Recommendation[] {
  const aim = aimOf(finding);
  if (aim === null) return [];
  const evaluate = (change: LeverChange): Recommendation => evaluator.evaluate(change, aim, finding);
  const recommendations = changes.map(evaluate);
  const wider = recommendations.flatMap(({ change, helps, isRealTime }): Recommendation[] => {
    const more = helps && !isRealTime ? widerCopies(change, situation, now) : null;
    return more ? [evaluate(more)].filter((each) => each.isRealTime) : [];
  });
  const more = [
    ...lowerStill(recommendations, evaluate),
    ...moreBypassed(recommendations, evaluate, finding, situation, now),
  ];
  return [...recommendations, ...wider, ...more].sort(
    (a, b) =>
      Number(b.helps) - Number(a.helps) ||
      Number(takesAway(a)) - Number(takesAway(b)) ||
      rankOf(b, situation) - rankOf(a, situation),
  );
}

/** Where the next preview scale helps and is not enough, the first one that is. */
function lowerStill(
  recommendations: readonly Recommendation[],
  evaluate: (change: LeverChange) => Recommendation,
): Recommendation[] {
  const next = recommendations.find(({ change }) => change.lever === 'preview scale');
  if (next?.aim !== 'playing' || next.change.lever !== 'preview scale' || !next.helps || next.isRealTime)
    return [];
  const { playScale } = next.change;
  for (const scale of PREVIEW_SCALES.filter((each) => each > playScale)) {
    const lower = evaluate({ lever: 'preview scale', playScale: scale });
    if (lower.isRealTime) return [lower];
  }
  return [];
}

/** Whether a lever removes something from the picture, not only sharpness: such levers are ranked last. */
const takesAway = ({ change }: Recommendation): boolean => change.lever === 'effect bypass';

/**
 * Where bypassing the heaviest effects helps and is not enough, as many kinds more as it takes; all of them where that is
 * not enough either, and yet better.
 */
function moreBypassed(
  recommendations: readonly Recommendation[],
  evaluate: (change: LeverChange) => Recommendation,
  finding: Finding,
  situation: Situation,
  now: Prediction,
): Recommendation[] {
  const first = recommendations.find(({ change }) => change.lever === 'effect bypass');
  if (!first?.helps || first.isRealTime) return [];
  let more = first;
  for (const change of bypassChanges(finding, situation, now).slice(1)) {
    more = evaluate(change);
    if (more.isRealTime) return [more];
  }
  const gained = more.framesPerSecond.after - first.framesPerSecond.after;
  return gained > WORTH * toNumber(now.workload.rate) ? [more] : [];
}

/** A render has to bring more than other levers by this share of the frame rate: an edit of the stretch undoes it. */
const RENDER_MARGIN = 0.05;

const rankOf = (each: Recommendation, { timeline }: Situation): number =>
  gainOf(each) - (each.change.lever === 'render stretches' ? RENDER_MARGIN * toNumber(timeline.rate) : 0);

const gainOf = ({ waitMs, framesPerSecond }: Recommendation): number =>
  waitMs ? waitMs.before - waitMs.after : framesPerSecond.after - framesPerSecond.before;

/** Predicts each change once, for whichever findings it may answer. */
class WhatIfEvaluator {
  private readonly known = new Map<string, { situation: Situation; prediction: Prediction }>();
  private readonly waits = new Map<Prediction, ScrubWait | null>();

  constructor(
    private readonly situation: Situation,
    private readonly now: Prediction,
  ) {}

  /** Predicts a change, so that evaluating it takes no time. */
  prepare(change: LeverChange): void {
    this.after(change);
  }

  evaluate(change: LeverChange, aim: Aim, { ranges, stage, kind }: Finding): Recommendation {
    const { now } = this;
    const { situation, prediction: then } = this.after(change);
    const within = aim === 'playing' ? stretchesOf(now, ranges) : [];
    const dropped = { before: dropsIn(now, within), after: dropsIn(then, within) };
    const shown = stage ?? heaviestStage(now);
    const [before, after] = [now, then].map((each) => loadOf(each, shown, within)) as [number, number];
    const loadPercent = { stage: shown, before, after };
    const waitMs = this.waitOf(aim, situation, then);
    const wanted = framesIn(now, within);
    // The drops of the stretches are a mean of several simulations, the summary is that of one.
    const dropShare = dropped.after / Math.max(1, wanted);
    const worstSecondDropShare = Math.max(then.summary.worstSecondDropShare ?? 0, dropShare);
    const playsThen = isRealTime({ ...then.summary, worstSecondDropShare });
    const rate = toNumber(now.workload.rate);
    const perSecond = (drops: number): number => rate * (1 - drops / Math.max(1, wanted));
    return {
      ...{ change, aim, waitMs, isRealTime: playsThen, loadPercent },
      framesPerSecond: { before: perSecond(dropped.before), after: perSecond(dropped.after) },
      helps: kind === 'soft-picture' ? playsThen : isWorth(waitMs, dropped, wanted, loadPercent),
      pixels: previewPixels(
        situation.timeline.size,
        situation.tuning,
        aim === 'scrubbing' ? 'at rest' : 'playing',
      ),
      price: change.lever === 'render stretches' ? renderPrice(this.situation, now, change.ranges) : null,
    };
  }

  private after(change: LeverChange): { situation: Situation; prediction: Prediction } {
    const key = JSON.stringify(change);
    const known = this.known.get(key);
    if (known) return known;
    const situation = applyLeverChange(this.situation, change, this.now);
    const made = { situation, prediction: predict(situation, this.now) };
    this.known.set(key, made);
    return made;
  }

  private waitOf(aim: Aim, situation: Situation, then: Prediction): Change | null {
    if (aim === 'start')
      return { before: this.now.summary.firstFrameMs ?? 0, after: then.summary.firstFrameMs ?? 0 };
    if (aim !== 'scrubbing') return null;
    const before = this.scrubWait(this.situation, this.now)?.medianMs ?? 0;
    return { before, after: this.scrubWait(situation, then)?.medianMs ?? 0 };
  }

  private scrubWait(situation: Situation, prediction: Prediction): ScrubWait | null {
    const known = this.waits.get(prediction);
    if (known !== undefined) return known;
    const wait = scrubWait(situation, prediction.work);
    this.waits.set(prediction, wait);
    return wait;
  }
}

function isWorth(waitMs: Change | null, dropped: Change, wanted: number, load: Change): boolean {
  if (waitMs) return waitMs.after < SHORTER * waitMs.before;
  // Frames were dropped that the prediction knows nothing of: then the load has to tell.
  if (dropped.before === 0) return load.after < SHORTER * load.before;
  const gained = dropped.before - dropped.after;
  const worth = load.after < SHORTER * load.before ? WORTH : WORTH_BESIDE;
  return gained > worth * wanted || gained > 0.5 * dropped.before;
}

/**
 * Uncut stretches in which frames are dropped, in their full length: the frames at which drops begin depend on playback
 * before them.
 */
const stretchesOf = ({ work }: Prediction, ranges: readonly FrameRange[]): readonly FrameRange[] =>
  mergeRanges(
    work.preview.played.stretches.filter((stretch) =>
      ranges.some(({ from, to }) => stretch.from < to && from < stretch.to),
    ),
  );

const wholeOf = ({ workload: line }: Prediction): FrameRange => ({ from: line.from, to: line.to });

const spansOr = (prediction: Prediction, ranges: readonly FrameRange[]): readonly FrameRange[] =>
  ranges.length ? ranges : [wholeOf(prediction)];

const framesIn = (prediction: Prediction, ranges: readonly FrameRange[]): number =>
  spansOr(prediction, ranges).reduce((sum, { from, to }) => sum + to - from, 0);

/** Frames that are expected to be dropped. */
const dropsIn = (prediction: Prediction, ranges: readonly FrameRange[]): number =>
  spansOr(prediction, ranges).reduce((sum, { from, to }) => sum + expectedDrops(prediction, from, to), 0);

/** Load of a stage in some ranges, as findings show it: per cent of the frame budget. */
function loadOf({ workload }: Prediction, stage: Stage, ranges: readonly FrameRange[] = []): number {
  const windows = windowsOf(workload);
  const within = windows.filter((window) =>
    ranges.some(({ from, to }) => window.from < to && from < window.to),
  );
  return stageLoadsOf(ranges.length ? within : windows)[stage];
}

const heaviestStage = (now: Prediction): Stage =>
  STAGES.reduce((most, stage) => (loadOf(now, stage) > loadOf(now, most) ? stage : most));
