import { previewPixels, PREVIEW_SCALES } from '../levers/index.js';
import { frameBudgetMs, isRealTime, STAGES, type Stage } from '../playback/index.js';
import {
  expectedDrops,
  predict,
  scrubWait,
  type Prediction,
  type ScrubWait,
  type Situation,
} from '../rig/index.js';
import { toNumber } from '../time/index.js';
import type { FrameSize } from '../timeline/index.js';
import { merged, type Cause, type Span } from './cause.js';
import {
  aimOf,
  bypassChanges,
  applyLeverChange,
  leverChangesFor,
  widerCopies,
  type Aim,
  type LeverChange,
} from './lever-changes.js';
import { passingMs } from './utilisation.js';

/** A figure as it is and as it will be. */
export interface Change {
  readonly before: number;
  readonly after: number;
}

/** What moving a lever is predicted to bring to what one cause holds back. */
export interface Recommendation {
  readonly move: LeverChange;
  readonly aim: Aim;
  /** Frames a second that are shown in the stretches of the cause. */
  readonly framesPerSecond: Change;
  /** What one waits for where the aim is not playing: the first picture, or one of scrubbing; null where it is. */
  readonly waitMs: Change | null;
  /** Whether the whole timeline is in real time then. */
  readonly isRealTime: boolean;
  /** Whether it brings enough to be worth it; of a sharper picture, whether it still plays. */
  readonly helps: boolean;
  /** The load of the stage that the cause shows in, in its stretches, per cent of the frame budget. */
  readonly loadPercent: Change & { readonly stage: Stage };
  /** Pixels of the preview then, at rest where the aim is scrubbing. */
  readonly pixels: FrameSize;
}

/** A lever that brings less than this share of the frames wanted, or of those dropped half, is not worth its price. */
const WORTH = 0.03;
/** Where the stage that holds playback back has as much to do as before: more room alone brings a little. */
const WORTH_BESIDE = 0.1;
/** A wait, or a load where no drop was predicted, that is not shorter than this share of what it was is not shorter. */
const SHORTER = 0.8;

/**
 * Predicts for each cause what the levers would bring that may answer it, the most helpful first; those that bring
 * nothing are there too, so that it can be said why.
 * @returns one list for each cause, in their order
 */
export function recommend(
  situation: Situation,
  now: Prediction,
  causes: readonly Cause[],
): Recommendation[][] {
  const bench = new Bench(situation, now);
  return causes.map((cause): Recommendation[] => {
    const aim = aimOf(cause);
    if (aim === null) return [];
    const offer = (move: LeverChange): Recommendation => bench.offer(move, aim, cause);
    const offers = leverChangesFor(aim, cause, situation, now).map(offer);
    const wider = offers.flatMap(({ move, helps, isRealTime }): Recommendation[] => {
      const more = helps && !isRealTime ? widerCopies(move, situation, now) : null;
      return more ? [offer(more)].filter((each) => each.isRealTime) : [];
    });
    const more = [...lowerStill(offers, offer), ...moreBypassed(offers, offer, cause, situation, now)];
    return [...offers, ...wider, ...more].sort(
      (a, b) =>
        Number(b.helps) - Number(a.helps) ||
        Number(takesAway(a)) - Number(takesAway(b)) ||
        gainOf(b) - gainOf(a),
    );
  });
}

/** Where the next preview scale helps and is not enough, the first one that is. */
function lowerStill(
  offers: readonly Recommendation[],
  offer: (move: LeverChange) => Recommendation,
): Recommendation[] {
  const next = offers.find(({ move }) => move.lever === 'preview scale');
  if (next?.aim !== 'playing' || next.move.lever !== 'preview scale' || !next.helps || next.isRealTime)
    return [];
  const { playScale } = next.move;
  for (const scale of PREVIEW_SCALES.filter((each) => each > playScale)) {
    const lower = offer({ lever: 'preview scale', playScale: scale });
    if (lower.isRealTime) return [lower];
  }
  return [];
}

/** Whether a lever takes away from what is seen, and not only from how sharp it is: it comes after those that do not. */
const takesAway = ({ move }: Recommendation): boolean => move.lever === 'effect bypass';

/**
 * Where bypassing the heaviest effects helps and is not enough, as many kinds more as it takes; all of them where that is
 * not enough either, and yet better.
 */
function moreBypassed(
  offers: readonly Recommendation[],
  offer: (move: LeverChange) => Recommendation,
  cause: Cause,
  situation: Situation,
  now: Prediction,
): Recommendation[] {
  const first = offers.find(({ move }) => move.lever === 'effect bypass');
  if (!first?.helps || first.isRealTime) return [];
  let more = first;
  for (const move of bypassChanges(cause, situation, now).slice(1)) {
    more = offer(move);
    if (more.isRealTime) return [more];
  }
  const gained = more.framesPerSecond.after - first.framesPerSecond.after;
  return gained > WORTH * toNumber(now.workload.rate) ? [more] : [];
}

const gainOf = ({ waitMs, framesPerSecond }: Recommendation): number =>
  waitMs ? waitMs.before - waitMs.after : framesPerSecond.after - framesPerSecond.before;

/** Predicts each move once, for whichever causes it may answer. */
class Bench {
  private readonly known = new Map<string, { situation: Situation; prediction: Prediction }>();
  private readonly waits = new Map<Prediction, ScrubWait | null>();

  constructor(
    private readonly situation: Situation,
    private readonly now: Prediction,
  ) {}

  offer(move: LeverChange, aim: Aim, { spans, stage, kind }: Cause): Recommendation {
    const { now } = this;
    const { situation, prediction: then } = this.after(move);
    const within = aim === 'playing' ? stretchesOf(now, spans) : [];
    const dropped = { before: dropsIn(now, within), after: dropsIn(then, within) };
    const shown = stage ?? heaviestStage(now);
    const [before, after] = [now, then].map((each) => loadOf(each, shown, within)) as [number, number];
    const loadPercent = { stage: shown, before, after };
    const waitMs = this.waitOf(aim, situation, then);
    const playsThen = isRealTime(then.summary);
    const wanted = framesIn(now, within);
    const rate = toNumber(now.workload.rate);
    const perSecond = (drops: number): number => rate * (1 - drops / Math.max(1, wanted));
    return {
      ...{ move, aim, waitMs, isRealTime: playsThen, loadPercent },
      framesPerSecond: { before: perSecond(dropped.before), after: perSecond(dropped.after) },
      helps: kind === 'soft picture' ? playsThen : isWorth(waitMs, dropped, wanted, loadPercent),
      pixels: previewPixels(
        situation.timeline.size,
        situation.tuning,
        aim === 'scrubbing' ? 'at rest' : 'playing',
      ),
    };
  }

  private after(move: LeverChange): { situation: Situation; prediction: Prediction } {
    const key = JSON.stringify(move);
    const known = this.known.get(key);
    if (known) return known;
    const situation = applyLeverChange(this.situation, move);
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
 * The whole of what is seen without a cut where frames are dropped: in which part of it that happens hangs on how
 * playing went before.
 */
const stretchesOf = ({ work }: Prediction, spans: readonly Span[]): readonly Span[] =>
  merged(
    work.preview.graph.stretches.filter((stretch) =>
      spans.some(({ from, to }) => stretch.from < to && from < stretch.to),
    ),
  );

const wholeOf = ({ workload: line }: Prediction): Span => ({ from: line.from, to: line.to });

const spansOr = (prediction: Prediction, spans: readonly Span[]): readonly Span[] =>
  spans.length ? spans : [wholeOf(prediction)];

const framesIn = (prediction: Prediction, spans: readonly Span[]): number =>
  spansOr(prediction, spans).reduce((sum, { from, to }) => sum + to - from, 0);

/** Frames that are expected to be dropped. */
const dropsIn = (prediction: Prediction, spans: readonly Span[]): number =>
  spansOr(prediction, spans).reduce((sum, { from, to }) => sum + expectedDrops(prediction, from, to), 0);

/** Load of a stage in some stretches, per cent of the frame budget. */
const loadOf = (now: Prediction, stage: Stage, spans: readonly Span[] = []): number =>
  (100 * passingMs(now.workload, stage, spansOr(now, spans))) / frameBudgetMs(now.workload.rate);

const heaviestStage = (now: Prediction): Stage =>
  STAGES.reduce((most, stage) => (loadOf(now, stage) > loadOf(now, most) ? stage : most));
