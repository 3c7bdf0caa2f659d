import { PREVIEW_SCALES, type Bypassable, type PreviewScale, type Tuning } from '../levers/index.js';
import { automaticComposing, automaticPath } from '../machine/index.js';
import { codedSize, copyLayout, type CopyDivisor } from '../media/index.js';
import { copyDivisorFor } from '../render/index.js';
import { effectSums, type KnownCopy, type Situation } from '../cost-model/index.js';
import type { Prediction } from '../simulation/index.js';
import type { FrameRange } from '../timeline/index.js';
import type { Finding } from './finding.js';
import { imaginedStretches, rangesToRender } from './stretch-renders.js';

/** A lever that can be moved now, and where to. */
export type LeverChange =
  | { readonly lever: 'preview scale'; readonly playScale: PreviewScale }
  | { readonly lever: 'scale at rest'; readonly restScale: PreviewScale }
  /** Kinds of effects that are left out while it plays, the heaviest first: those that are already, and more. */
  | { readonly lever: 'effect bypass'; readonly bypass: readonly Bypassable[] }
  /** Every kind of picture is decoded by the path that was measured to be the better one. */
  | { readonly lever: 'automatic decoding' }
  /** Frames are composed on the processor that was measured to be the quicker one. */
  | { readonly lever: 'automatic composing' }
  | { readonly lever: 'play from copies' }
  | { readonly lever: 'play from originals' }
  | { readonly lever: 'make copies'; readonly copies: readonly WantedCopy[] }
  | { readonly lever: 'play from cache' }
  /** Timeline frames that are rendered in advance. */
  | { readonly lever: 'render stretches'; readonly ranges: readonly FrameRange[] };

export interface WantedCopy {
  readonly sourceId: string;
  readonly divisor: CopyDivisor;
}

/** Aim of a lever change. */
export type Aim = 'playing' | 'start' | 'scrubbing' | 'sharpness';

/** Bytes of a pixel of a light copy that is not there yet; copies of the demo's sources took 0.03 to 0.06. */
const BYTES_PER_PIXEL = 0.1;

/** Aim of the lever changes that answer a finding; null where no lever does. */
export function aimOf({ kind, dropped }: Pick<Finding, 'kind' | 'dropped'>): Aim | null {
  if (kind === 'unexplained') return null;
  if (dropped > 0) return 'playing';
  if (kind === 'slow-start') return 'start';
  if (kind === 'slow-scrubbing') return 'scrubbing';
  return kind === 'soft-picture' ? 'sharpness' : null;
}

/** The levers that may be moved for an aim, and where to: the next position of each. */
export function leverChangesFor(
  aim: Aim,
  finding: Finding,
  situation: Situation,
  now: Prediction,
): LeverChange[] {
  const { tuning } = situation;
  if (aim === 'sharpness') return sharperChanges(situation, now);
  const changes: LeverChange[] = [];
  const lower = PREVIEW_SCALES.find((scale) => scale > tuning.playScale);
  const calmer = PREVIEW_SCALES.find((scale) => scale > tuning.restScale);
  if (aim === 'scrubbing') {
    if (calmer) changes.push({ lever: 'scale at rest', restScale: calmer });
  } else if (lower) changes.push({ lever: 'preview scale', playScale: lower });
  if (aim === 'playing') changes.push(...bypassChanges(finding, situation, now).slice(0, 1));
  if (isSlowerByChoice(situation, now)) changes.push({ lever: 'automatic decoding' });
  const { composeOn } = tuning;
  if (composeOn && composeOn !== automaticComposing(situation.rig))
    changes.push({ lever: 'automatic composing' });
  const isReady = situation.copies.some(
    ({ state, sourceId }) => state === 'ready' && now.work.media.has(sourceId),
  );
  if (!tuning.lightCopies && isReady) changes.push({ lever: 'play from copies' });
  const copies = wantedCopies(situation, now, finding.ranges);
  if (copies.length) changes.push({ lever: 'make copies', copies });
  if (aim === 'playing') changes.push(...cacheChanges(finding, situation, now));
  return changes;
}

/** Whether an original is decoded by another path than automatic would take. */
function isSlowerByChoice({ tuning, sources, rig }: Situation, { work }: Prediction): boolean {
  if (!tuning.decodePaths) return false;
  return sources.some(({ id, facts }) => {
    const medium = work.media.get(id);
    if (medium?.choice !== 'original' || !medium.path || !facts?.picture) return false;
    const automatic = automaticPath(rig, facts.picture);
    return automatic !== undefined && automatic !== medium.path;
  });
}

function cacheChanges({ ranges }: Finding, situation: Situation, now: Prediction): LeverChange[] {
  if (situation.tuning.renderCache === false) return [{ lever: 'play from cache' }];
  const toRender = rangesToRender(now, ranges);
  return toRender.length ? [{ lever: 'render stretches', ranges: toRender }] : [];
}

/** Effects bypassed, one kind more with each, the heaviest of the stretches of a finding first. */
export function bypassChanges(
  { ranges }: Finding,
  { rig, tuning }: Situation,
  { work }: Prediction,
): LeverChange[] {
  const bypassed = tuning.bypass ?? [];
  const kinds = effectSums(rig, work, ranges).map(({ kind }) => kind);
  return kinds.map((_, at): LeverChange => ({
    lever: 'effect bypass',
    bypass: [...bypassed, ...kinds.slice(0, at + 1)],
  }));
}

function sharperChanges({ tuning }: Situation, { work }: Prediction): LeverChange[] {
  const changes: LeverChange[] = [];
  const higher = PREVIEW_SCALES.findLast((scale) => scale < tuning.playScale);
  if (higher) changes.push({ lever: 'preview scale', playScale: higher });
  if ([...work.media.values()].some(({ choice }) => choice === 'light copy'))
    changes.push({ lever: 'play from originals' });
  return changes;
}

/** The situation as it is when a lever was moved. @param now its prediction */
export function applyLeverChange(situation: Situation, change: LeverChange, now: Prediction): Situation {
  const with_ = (change: Partial<Tuning>): Situation => ({
    ...situation,
    tuning: { ...situation.tuning, ...change },
  });
  switch (change.lever) {
    case 'preview scale':
      return with_({ playScale: change.playScale });
    case 'scale at rest':
      return with_({ restScale: change.restScale });
    case 'effect bypass':
      return with_({ bypass: [...change.bypass] });
    case 'automatic decoding':
      return with_({ decodePaths: undefined });
    case 'automatic composing':
      return with_({ composeOn: undefined });
    case 'play from originals':
      return with_({ lightCopies: false });
    case 'play from copies':
      return with_({ lightCopies: true });
    case 'make copies': {
      const made = change.copies.map((each) => imagined(each, situation));
      return { ...with_({ lightCopies: true }), copies: [...situation.copies, ...made] };
    }
    case 'play from cache':
      return with_({ renderCache: undefined });
    case 'render stretches': {
      const made = imaginedStretches(situation, now, change.ranges);
      return { ...situation, stretches: [...(situation.stretches ?? []), ...made] };
    }
  }
}

/** Copies of everything that is played from originals, where that is more than a finding asks for. */
export function widerCopies(change: LeverChange, situation: Situation, now: Prediction): LeverChange | null {
  if (change.lever !== 'make copies') return null;
  const copies = wantedCopies(situation, now, []);
  return copies.length > change.copies.length ? { lever: 'make copies', copies } : null;
}

/** Light copies of sources that some stretches play from originals, at the copy size of the project; without stretches, of all. */
function wantedCopies(
  { timeline, tuning, sources, copies }: Situation,
  { work, workload: line }: Prediction,
  ranges: readonly FrameRange[],
): WantedCopy[] {
  const played = line.segments.filter(
    ({ from, to }) => ranges.length === 0 || ranges.some((range) => from < range.to && range.from < to),
  );
  const ids = new Set(played.map(({ sourceId }) => sourceId));
  return sources.flatMap(({ id, facts }): WantedCopy[] => {
    if (!ids.has(id) || work.media.get(id)?.choice !== 'original' || !facts?.picture) return [];
    if (copies.some(({ sourceId, state }) => sourceId === id && state === 'ready')) return [];
    return [{ sourceId: id, divisor: copyDivisorFor(timeline, tuning, id, facts) }];
  });
}

function imagined({ sourceId, divisor }: WantedCopy, { sources }: Situation): KnownCopy {
  const picture = sources.find(({ id }) => id === sourceId)!.facts!.picture!;
  const layout = copyLayout(picture, divisor);
  const { width, height } = codedSize(layout);
  const bytes = Math.round(BYTES_PER_PIXEL * width * height * picture.frameCount);
  return { id: `imagined-${sourceId}`, sourceId, state: 'ready', ...layout, bytes };
}
