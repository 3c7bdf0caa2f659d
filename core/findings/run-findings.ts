import { median } from 'd3-array';
import { frameBudgetMs, isDisturbed, isRealTime, type FrameLog } from '../playback/index.js';
import type { RenderGraph } from '../render/index.js';
import { shownSharpness } from './sharpness.js';
import type { FindingContext, MeasuredRun } from './context.js';
import { findingOf, type Finding } from './finding.js';

/** From the press of play to the first picture, more than this is felt as a wait (common practice, no source). */
const SLOW_START_MS = 1000;
/** A picture that answers the pointer later than this is felt as late (common practice, no source). */
const SLOW_SCRUB_MS = 150;
/** The same frames that cost so many times more at the end than at the beginning. */
const SLOWER = 1.25;
const FEWEST_FOR_TREND = 120;
/** Least number of pictures of one kind of work in each third of a run that is compared. */
const FEWEST_ALIKE = 20;
const MUCH_MIXING = 0.5;

/** Findings of a measured or predicted run beside its dropped frames. */
export function runFindings(context: FindingContext): Finding[] {
  const { prediction, run } = context;
  const isSmooth = isRealTime(run?.summary ?? prediction.summary);
  return [...(isSmooth ? qualityFindings(context) : []), ...(run ? measuredFindings(run, context) : [])];
}

/** Findings of a run in real time: waits, and a soft picture. */
function qualityFindings({ prediction, run, scrub, scrubWait }: FindingContext): Finding[] {
  const found: Finding[] = [];
  const { firstFrameMs } = run?.summary ?? prediction.summary;
  if (firstFrameMs !== null && firstFrameMs > SLOW_START_MS)
    found.push(findingOf('slow-start', { firstFrameMs }));
  const wait = scrub ?? scrubWait;
  if (wait && wait.medianMs > SLOW_SCRUB_MS) {
    const { medianMs, worstTwentiethMs } = wait;
    const evidence = { medianMs, worstTwentiethMs, isMeasured: scrub !== null };
    found.push(findingOf('slow-scrubbing', evidence, { stage: 'decode' }));
  }
  const { pixels, of, width, height, fromCopies } = shownSharpness(prediction);
  if (pixels < of) {
    const evidence = { width, height, pixelPercent: (100 * pixels) / of, isFromCopies: fromCopies };
    found.push(findingOf('soft-picture', evidence, { stage: 'show' }));
  }
  return found;
}

function measuredFindings({ log, summary, facts }: MeasuredRun, context: FindingContext): Finding[] {
  const found: Finding[] = [];
  const budgetMs = frameBudgetMs(context.situation.timeline.rate);
  const latenessMs = summary.meanLatenessMs ?? 0;
  if (latenessMs > budgetMs / 2)
    found.push(findingOf('picture-behind-sound', { latenessMs, framesLate: latenessMs / budgetMs }));
  const ratio = slowing(log, context.prediction.work.preview.played);
  if (ratio > SLOWER) found.push(findingOf('slowdown', { ratio }, { stage: 'decode' }));
  const { othersShare } = facts;
  if (othersShare && isDisturbed({ othersShare }))
    found.push(findingOf('background-load', { loadPercent: 100 * othersShare, isOfRun: true }));
  const playedMs = log.length * budgetMs;
  const { mixMs, gapSamples } = facts.sound;
  if (mixMs > MUCH_MIXING * playedMs || gapSamples > 0) {
    const mixPercent = (100 * mixMs) / Math.max(1, playedMs);
    found.push(findingOf('sound', { mixPercent, gapMs: gapSamples / 48 }));
  }
  return found;
}

/**
 * How many times more a decoded picture costs in the last third of a run than in the first, where the same sources are
 * seen with the same effects: other work on the same cores makes decoding slower as well.
 * @returns of several kinds of work, the ratio of the one that slows down least; 1 where none is met in both thirds
 */
function slowing(log: FrameLog, { stretches }: RenderGraph): number {
  if (log.length < FEWEST_FOR_TREND) return 1;
  const third = Math.floor(log.length / 3);
  const costs = (from: number): Map<string, number[]> => {
    const byWork = new Map<string, number[]>();
    for (const stretch of stretches) {
      const work = JSON.stringify(
        stretch.layers.map(({ sourceId, speed, effects }) => [
          sourceId,
          speed,
          effects.map(({ kind }) => kind),
        ]),
      );
      const list = byWork.get(work) ?? [];
      for (let frame = Math.max(from, stretch.from); frame < Math.min(from + third, stretch.to); frame++) {
        const pictures = log.get(frame, 'decoded');
        if (pictures > 0) list.push(log.get(frame, 'decode') / pictures);
      }
      byWork.set(work, list);
    }
    return byWork;
  };
  const [early, late] = [costs(log.firstFrame), costs(log.firstFrame + log.length - third)];
  const ratios = [...early].flatMap(([work, before]) => {
    const after = late.get(work) ?? [];
    if (before.length < FEWEST_ALIKE || after.length < FEWEST_ALIKE) return [];
    const first = median(before)!;
    return first > 1 ? [median(after)! / first] : [];
  });
  return ratios.length ? Math.min(...ratios) : 1;
}
