import type { Recommendation } from '@hone/core/findings';
import type { Bypassable, Tuning } from '@hone/core/levers';
import type { Stage } from '@hone/core/playback';
import type { FrameRange } from '@hone/core/timeline';
import { effectWord, list } from './finding-words';
import { STAGE_NAMES } from './stage-words';
import { count, framesPerSecond, milliseconds, percentOf, rounded } from './quantities';

/** Kinds of effects within a sentence. */
export const bypassText = (kinds: readonly Bypassable[]): string => list(kinds.map(effectWord));

/** What a run left out, after its media; empty where it left out nothing. */
export const withoutText = ({
  bypass = [],
  everySecondFrame,
}: Pick<Tuning, 'bypass' | 'everySecondFrame'>): string =>
  (bypass.length ? `, without ${bypassText(bypass)}` : '') + (everySecondFrame ? ', every second frame' : '');

/** What a lever change does and what it is predicted to bring, for its row. */
export interface RecommendationText {
  readonly act: string;
  readonly result: string;
  /** Whether the whole timeline plays then, in words; empty where it does not, or where that is not the aim. */
  readonly plays: string;
}

export const recommendationText = (recommendation: Recommendation): RecommendationText => ({
  act: actOf(recommendation),
  result: resultOf(recommendation),
  plays: recommendation.aim === 'playing' && recommendation.isRealTime ? 'the whole timeline plays' : '',
});

function resultOf({ aim, framesPerSecond: { before, after }, waitMs }: Recommendation): string {
  if (aim === 'sharpness') return `${framesPerSecond(after)} as before`;
  if (!waitMs) return `${rounded(before)} → ${framesPerSecond(after)}`;
  const what = aim === 'start' ? 'first picture after' : 'a picture after';
  return `${what} ${milliseconds(waitMs.before)} → ${milliseconds(waitMs.after)}`;
}

/** Stages whose work a lever changes. */
const TOUCHED: Readonly<Record<Recommendation['change']['lever'], readonly Stage[]>> = {
  'preview scale': ['scale', 'effects', 'compose', 'show'],
  'scale at rest': ['scale', 'effects', 'compose', 'show'],
  'effect bypass': ['effects'],
  'automatic decoding': ['decode'],
  'automatic composing': ['effects', 'compose', 'show'],
  'play from originals': ['read', 'decode', 'scale'],
  'play from copies': ['read', 'decode', 'scale'],
  'make copies': ['read', 'decode', 'scale'],
  'play from cache': ['read', 'decode', 'scale', 'effects', 'compose'],
  'render stretches': ['read', 'decode', 'scale', 'effects', 'compose'],
};

/** Why a lever is not worth moving. */
export function refusalText(recommendation: Recommendation): string {
  const { aim, change, waitMs, framesPerSecond: fps } = recommendation;
  const { stage, before, after } = recommendation.loadPercent;
  if (aim === 'sharpness')
    return `${conditionOf(recommendation)} would be too much: ${framesPerSecond(fps.after)} would be shown.`;
  const what = `${conditionOf(recommendation)} would not help`;
  if (waitMs)
    return `${what}: the picture would come after ${milliseconds(waitMs.after)} instead of ${milliseconds(waitMs.before)}.`;
  const name = STAGE_NAMES[stage].toLowerCase();
  // A stage that the lever does not touch has the same work; its predicted load differs by what is dropped elsewhere.
  return !TOUCHED[change.lever].includes(stage) || Math.abs(after - before) < 2
    ? `${what}: ${name} ${stage === 'effects' ? 'take' : 'takes'} ${percentOf(before)} of the frame budget with or without it.`
    : `${what}: ${name} would go from ${percentOf(before)} to ${percentOf(after)} of the frame budget, and frames would still be late.`;
}

const framesOf = (ranges: readonly FrameRange[]): number =>
  ranges.reduce((sum, { from, to }) => sum + to - from, 0);

function actOf({ change, aim }: Recommendation): string {
  switch (change.lever) {
    case 'preview scale':
      return `${aim === 'sharpness' ? 'Raise' : 'Lower'} the preview scale to 1:${change.playScale}`;
    case 'scale at rest':
      return `Lower the scale at rest to 1:${change.restScale}`;
    case 'effect bypass':
      return `Bypass ${bypassText(change.bypass)} while playing`;
    case 'automatic decoding':
      return 'Decode by the path that was measured to be quicker';
    case 'automatic composing':
      return 'Compose on the processor that was measured to be quicker';
    case 'play from originals':
      return 'Play from the originals';
    case 'play from copies':
      return 'Play from the light copies that are ready';
    case 'make copies':
      return `Make copies of ${count(change.copies.length, 'clip', 'clips')}`;
    case 'play from cache':
      return 'Play from the render cache';
    case 'render stretches':
      return `Render ${count(framesOf(change.ranges), 'frame', 'frames')} in advance`;
  }
}

function conditionOf({ change }: Recommendation): string {
  switch (change.lever) {
    case 'preview scale':
      return `A preview scale of 1:${change.playScale}`;
    case 'scale at rest':
      return `A scale at rest of 1:${change.restScale}`;
    case 'effect bypass':
      return `Bypassing ${bypassText(change.bypass)}`;
    case 'automatic decoding':
      return 'Automatic decoding';
    case 'automatic composing':
      return 'Automatic composing';
    case 'play from originals':
      return 'Playing from the originals';
    case 'play from copies':
      return 'Playing from the copies that are ready';
    case 'make copies':
      return 'More light copies';
    case 'play from cache':
      return 'Playing from the render cache';
    case 'render stretches':
      return 'Rendering in advance';
  }
}
