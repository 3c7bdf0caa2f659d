import { previewPixels, PREVIEW_SCALES, type PreviewScale, type Tuning } from '../levers/index.js';
import { copySize, fittingDivisor, shownSize, type CopyDivisor } from '../media/index.js';
import { frameBudgetMs, stageMsOf, STAGES, type Stage } from '../playback/index.js';
import { largestRaster } from '../render/index.js';
import { predicted, type KnownCopy, type Prediction, type Situation } from '../rig/index.js';
import { REAL_TIME_DROPS } from './limiting-stage.js';

/** A lever that can be moved now, and where to. */
export type Move =
  | { readonly lever: 'preview scale'; readonly playScale: PreviewScale }
  | { readonly lever: 'play from copies' }
  | { readonly lever: 'make copies'; readonly copies: readonly WantedCopy[] };

export interface WantedCopy {
  readonly sourceId: string;
  readonly divisor: CopyDivisor;
}

/** What moving a lever is predicted to bring. */
export interface Offer {
  readonly move: Move;
  readonly framesPerSecond: number;
  readonly dropped: number;
  readonly isRealTime: boolean;
  /** Whether it brings enough to be worth it. */
  readonly helps: boolean;
  /** The load of the stage that holds playback back, per cent of the frame budget, before and after. */
  readonly loadPercent: { readonly stage: Stage; readonly before: number; readonly after: number };
  readonly pixels: { readonly width: number; readonly height: number };
}

/** A lever that brings less than this share of the frames wanted, or of those dropped half, is not worth its price. */
const WORTH = 0.03;
/** Bytes of a pixel of a light copy where nothing was measured: half a byte is plenty for intra H.264. */
const BYTES_PER_PIXEL = 0.5;

/**
 * Predicts what each lever would bring, the most helpful first; those that bring nothing are there too, so that it can
 * be said why.
 */
export function offersOf(situation: Situation, now: Prediction): Offer[] {
  const { tuning } = situation;
  const moves: { move: Move; then: Situation }[] = [];
  const with_ = (change: Partial<Tuning>): Situation => ({ ...situation, tuning: { ...tuning, ...change } });
  const lower = PREVIEW_SCALES.find((scale) => scale > tuning.playScale);
  if (lower)
    moves.push({ move: { lever: 'preview scale', playScale: lower }, then: with_({ playScale: lower }) });
  const isReady = situation.copies.some(
    ({ state, sourceId }) => state === 'ready' && now.work.media.has(sourceId),
  );
  if (!tuning.lightCopies && isReady)
    moves.push({ move: { lever: 'play from copies' }, then: with_({ lightCopies: true }) });
  const wanted = wantedCopies(situation, now);
  if (wanted.length)
    moves.push({
      move: { lever: 'make copies', copies: wanted },
      then: {
        ...with_({ lightCopies: true }),
        copies: [...situation.copies, ...wanted.map((each) => imagined(each, situation))],
      },
    });
  const limiting = heaviestStage(now);
  return moves
    .map(({ move, then }): Offer => {
      const next = predicted(then, now);
      const gained = next.summary.shown - now.summary.shown;
      return {
        move,
        framesPerSecond: next.summary.framesPerSecondShown,
        dropped: next.summary.dropped,
        isRealTime: next.summary.dropped <= REAL_TIME_DROPS * next.summary.wanted,
        helps: gained > WORTH * now.summary.wanted || gained > 0.5 * Math.max(1, now.summary.dropped),
        loadPercent: { stage: limiting, before: loadOf(now, limiting), after: loadOf(next, limiting) },
        pixels: previewPixels(then.timeline.size, then.tuning, 'playing'),
      };
    })
    .sort((a, b) => b.framesPerSecond - a.framesPerSecond);
}

/** Mean load of a stage over the frames that pass through it, per cent of the frame budget. */
function loadOf({ line }: Prediction, stage: Stage): number {
  const ms = stageMsOf(line, stage);
  let sum = 0;
  let count = 0;
  for (const each of ms)
    if (each > 0) {
      sum += each;
      count++;
    }
  return count ? (100 * sum) / count / frameBudgetMs(line.rate) : 0;
}

const heaviestStage = (now: Prediction): Stage =>
  STAGES.reduce((most, stage) => (loadOf(now, stage) > loadOf(now, most) ? stage : most));

/** Copies of what is played from originals, at the size that the preview needs. */
function wantedCopies({ timeline, tuning, sources, copies }: Situation, { work }: Prediction): WantedCopy[] {
  const frame = previewPixels(timeline.size, tuning, 'playing');
  return sources.flatMap(({ id, facts }): WantedCopy[] => {
    if (work.media.get(id)?.choice !== 'original' || !facts?.picture) return [];
    if (copies.some(({ sourceId, state }) => sourceId === id && state === 'ready')) return [];
    const divisor = fittingDivisor(shownSize(facts.picture), largestRaster(timeline, id, facts, frame));
    return [{ sourceId: id, divisor }];
  });
}

function imagined({ sourceId, divisor }: WantedCopy, { sources }: Situation): KnownCopy {
  const picture = sources.find(({ id }) => id === sourceId)!.facts!.picture!;
  const size = copySize(shownSize(picture), divisor);
  const bytes = Math.round(BYTES_PER_PIXEL * size.width * size.height * picture.frameCount);
  return { id: `imagined-${sourceId}`, sourceId, state: 'ready', ...size, bytes };
}
