import {
  previewPixels,
  PREVIEW_SCALES,
  type Bypassable,
  type PreviewScale,
  type Tuning,
} from '../levers/index.js';
import { codedSize, copyLayout, fittingDivisor, shownSize, type CopyDivisor } from '../media/index.js';
import { largestRaster } from '../render/index.js';
import { effectSums, type KnownCopy, type Prediction, type Situation } from '../rig/index.js';
import type { Cause, Span } from './cause.js';

/** A lever that can be moved now, and where to. */
export type LeverChange =
  | { readonly lever: 'preview scale'; readonly playScale: PreviewScale }
  | { readonly lever: 'scale at rest'; readonly restScale: PreviewScale }
  /** Kinds of effects that are left out while it plays, the heaviest first: those that are already, and more. */
  | { readonly lever: 'effect bypass'; readonly bypass: readonly Bypassable[] }
  | { readonly lever: 'play from copies' }
  | { readonly lever: 'play from originals' }
  | { readonly lever: 'make copies'; readonly copies: readonly WantedCopy[] };

export interface WantedCopy {
  readonly sourceId: string;
  readonly divisor: CopyDivisor;
}

/** What a lever is moved for. */
export type Aim = 'playing' | 'start' | 'scrubbing' | 'sharpness';

/** Bytes of a pixel of a light copy that is not there yet; copies of the demo's sources took 0.03 to 0.06. */
const BYTES_PER_PIXEL = 0.1;

/** What levers are moved for when they answer a cause; null where no lever does. */
export function aimOf({ kind, predictedDrops, measuredDrops }: Cause): Aim | null {
  if (predictedDrops + (measuredDrops ?? 0) > 0) return 'playing';
  if (kind === 'slow start') return 'start';
  if (kind === 'slow scrubbing') return 'scrubbing';
  return kind === 'soft picture' ? 'sharpness' : null;
}

/** The levers that may be moved for an aim, and where to: the next position of each. */
export function leverChangesFor(
  aim: Aim,
  cause: Cause,
  situation: Situation,
  now: Prediction,
): LeverChange[] {
  const { tuning } = situation;
  if (aim === 'sharpness') return sharperMoves(situation, now);
  const moves: LeverChange[] = [];
  const lower = PREVIEW_SCALES.find((scale) => scale > tuning.playScale);
  const calmer = PREVIEW_SCALES.find((scale) => scale > tuning.restScale);
  if (aim === 'scrubbing') {
    if (calmer) moves.push({ lever: 'scale at rest', restScale: calmer });
  } else if (lower) moves.push({ lever: 'preview scale', playScale: lower });
  if (aim === 'playing') moves.push(...bypassChanges(cause, situation, now).slice(0, 1));
  const isReady = situation.copies.some(
    ({ state, sourceId }) => state === 'ready' && now.work.media.has(sourceId),
  );
  if (!tuning.lightCopies && isReady) moves.push({ lever: 'play from copies' });
  const copies = wantedCopies(situation, now, cause.spans);
  if (copies.length) moves.push({ lever: 'make copies', copies });
  return moves;
}

/** Effects bypassed, one kind more with each, the heaviest of the stretches of a cause first. */
export function bypassChanges(
  { spans }: Cause,
  { rig, tuning }: Situation,
  { work }: Prediction,
): LeverChange[] {
  const bypassed = tuning.bypass ?? [];
  const kinds = effectSums(rig, work, spans).map(({ kind }) => kind);
  return kinds.map((_, at): LeverChange => ({
    lever: 'effect bypass',
    bypass: [...bypassed, ...kinds.slice(0, at + 1)],
  }));
}

function sharperMoves({ tuning }: Situation, { work }: Prediction): LeverChange[] {
  const moves: LeverChange[] = [];
  const higher = PREVIEW_SCALES.findLast((scale) => scale < tuning.playScale);
  if (higher) moves.push({ lever: 'preview scale', playScale: higher });
  if ([...work.media.values()].some(({ choice }) => choice === 'light copy'))
    moves.push({ lever: 'play from originals' });
  return moves;
}

/** The situation as it is when a lever was moved. */
export function applyLeverChange(situation: Situation, move: LeverChange): Situation {
  const with_ = (change: Partial<Tuning>): Situation => ({
    ...situation,
    tuning: { ...situation.tuning, ...change },
  });
  switch (move.lever) {
    case 'preview scale':
      return with_({ playScale: move.playScale });
    case 'scale at rest':
      return with_({ restScale: move.restScale });
    case 'effect bypass':
      return with_({ bypass: [...move.bypass] });
    case 'play from originals':
      return with_({ lightCopies: false });
    case 'play from copies':
      return with_({ lightCopies: true });
    case 'make copies': {
      const made = move.copies.map((each) => imagined(each, situation));
      return { ...with_({ lightCopies: true }), copies: [...situation.copies, ...made] };
    }
  }
}

/** Copies of everything that is played from originals, where that is more than a cause asks for. */
export function widerCopies(move: LeverChange, situation: Situation, now: Prediction): LeverChange | null {
  if (move.lever !== 'make copies') return null;
  const copies = wantedCopies(situation, now, []);
  return copies.length > move.copies.length ? { lever: 'make copies', copies } : null;
}

/** Copies of what is played from originals in some stretches, at the size that the preview needs; none: everywhere. */
function wantedCopies(
  { timeline, tuning, sources, copies }: Situation,
  { work, workload: line }: Prediction,
  spans: readonly Span[],
): WantedCopy[] {
  const frame = previewPixels(timeline.size, tuning, 'playing');
  const played = line.segments.filter(
    ({ from, to }) => spans.length === 0 || spans.some((span) => from < span.to && span.from < to),
  );
  const ids = new Set(played.map(({ sourceId }) => sourceId));
  return sources.flatMap(({ id, facts }): WantedCopy[] => {
    if (!ids.has(id) || work.media.get(id)?.choice !== 'original' || !facts?.picture) return [];
    if (copies.some(({ sourceId, state }) => sourceId === id && state === 'ready')) return [];
    const divisor = fittingDivisor(shownSize(facts.picture), largestRaster(timeline, id, facts, frame));
    return [{ sourceId: id, divisor }];
  });
}

function imagined({ sourceId, divisor }: WantedCopy, { sources }: Situation): KnownCopy {
  const picture = sources.find(({ id }) => id === sourceId)!.facts!.picture!;
  const layout = copyLayout(picture, divisor);
  const { width, height } = codedSize(layout);
  const bytes = Math.round(BYTES_PER_PIXEL * width * height * picture.frameCount);
  return { id: `imagined-${sourceId}`, sourceId, state: 'ready', ...layout, bytes };
}
