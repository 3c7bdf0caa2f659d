import type { RunRecord } from '@hone/core/api';
import { mean, sum } from 'd3-array';
import type { RunSample } from '@hone/core/playback';
import { mergeRanges, type FingerprintPart } from '@hone/core/timeline';
import { toNumber } from '@hone/core/time';
import { count, framesPerSecond, perCent, percentOf, rounded } from './quantities';

/** Origin of the pictures of a run. */
export function playedFrom({ facts }: Pick<RunRecord, 'facts'>): string {
  const copies = facts.copiedSources.length;
  if (facts.leversMoved) return 'mixed: levers moved';
  return copies ? 'light copies' : 'originals';
}

/** Result of a run, in one sentence. */
export function verdictText({ facts, summary }: Pick<RunRecord, 'facts' | 'summary'>): string {
  const { framesPerSecondShown, dropped, wanted } = summary;
  return `Measured: ${rounded(framesPerSecondShown)} of ${framesPerSecond(toNumber(facts.rate))}; ${count(dropped, 'frame', 'frames')} of ${wanted} dropped.`;
}

const PART_NAMES: Readonly<Record<FingerprintPart, string>> = {
  format: 'frame size or rate',
  cuts: 'clips',
  effects: 'effects',
};

const partsText = (parts: readonly FingerprintPart[]): string =>
  parts.map((part) => PART_NAMES[part]).join(' and ');

/** Sentence that the last run is of an older timeline, and which parts changed since. */
export const outdatedText = (changed: readonly FingerprintPart[]): string =>
  changed.length
    ? `The last run played the timeline before its ${partsText(changed)} changed. Play again to measure it as it is now.`
    : 'The last run played another timeline. Play again to measure it as it is now.';

/**
 * That two runs cannot be compared frame by frame, and why; null when they can.
 * @param frameText how a frame of the timeline is written
 */
export function unlikeText(
  { facts, summary }: Pick<RunRecord, 'facts' | 'summary'>,
  differences: readonly (FingerprintPart | 'stretch' | 'unknown timeline')[],
  frameText: (frame: number) => string,
): string | null {
  const parts = differences.filter((each): each is FingerprintPart => each in PART_NAMES);
  const reasons = [
    ...(differences.includes('unknown timeline') ? ['another timeline'] : []),
    ...(parts.length ? [`other ${partsText(parts)}`] : []),
    ...(differences.includes('stretch')
      ? [`frames ${frameText(facts.firstFrame)} to ${frameText(facts.firstFrame + summary.wanted - 1)}`]
      : []),
  ];
  return reasons.length ? `Not like with like: the run before played ${reasons.join(' and ')}.` : null;
}

/** Part of the timeline that a run played, unless it is nearly all; null otherwise. */
export function shareText({ facts, summary }: Pick<RunRecord, 'facts' | 'summary'>): string | null {
  const whole = facts.wholeFrames;
  if (!whole || summary.wanted >= NEARLY_ALL * whole) return null;
  return `Measured on ${count(summary.wanted, 'frame', 'frames')}, ${perCent(summary.wanted / whole)} of the timeline.`;
}

/** Frames of a run whose pictures an earlier pass had left in memory; null without any. */
export function keptText({ facts, summary }: Pick<RunRecord, 'facts' | 'summary'>): string | null {
  const { firstFrame, kept = [] } = facts;
  const end = firstFrame + summary.wanted;
  const within = kept.map(({ from, to }) => ({ from: Math.max(from, firstFrame), to: Math.min(to, end) }));
  const frames = sum(mergeRanges(within.filter(({ from, to }) => from < to)), ({ from, to }) => to - from);
  return frames > 0
    ? `Pictures of ${frames} of ${summary.wanted} frames were in memory from an earlier pass.`
    : null;
}

/** How busy the graphics processor was in a run, on average; null where the system does not tell. */
export function graphicsText(samples: readonly Pick<RunSample, 'graphicsShare'>[]): string | null {
  const share = mean(samples, ({ graphicsShare }) => graphicsShare);
  return share === undefined
    ? null
    : `the graphics processor was busy for ${percentOf(100 * share)} of the time`;
}

/** A run over so large a share of the timeline counts as one of the whole. */
export const NEARLY_ALL = 0.95;
