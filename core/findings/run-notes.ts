import { frameBudgetMs, isDisturbed, isRealTime, type FrameLog } from '../playback/index.js';
import { shownSharpness } from './sharpness.js';
import { emptyCause, type Cause, type Scene } from './cause.js';

/** From the press of play to the first picture, more than this is felt as a wait (common practice, no source). */
const SLOW_START_MS = 1000;
/** A picture that answers the pointer later than this is felt as late (common practice, no source). */
const SLOW_SCRUB_MS = 150;
/** The same frames that cost so many times more at the end than at the beginning. */
const SLOWER = 1.25;
const FEWEST_FOR_TREND = 120;
const MUCH_MIXING = 0.5;

/** What a run shows beside its dropped frames, or would show if it were played. */
export function runNotes(scene: Scene): Cause[] {
  const { prediction, measured, scrub, situation } = scene;
  const summary = measured?.summary ?? prediction.summary;
  const budgetMs = frameBudgetMs(situation.timeline.rate);
  const plays = isRealTime(summary);
  const notes: Cause[] = [];
  const { firstFrameMs } = summary;
  if (plays && firstFrameMs !== null && firstFrameMs > SLOW_START_MS)
    notes.push({ ...emptyCause('slow start'), numbers: { firstFrameMs } });
  const wait = scrub ?? scene.scrubWait;
  if (plays && wait && wait.medianMs > SLOW_SCRUB_MS)
    notes.push({
      ...emptyCause('slow scrubbing', 'decode'),
      numbers: { medianMs: wait.medianMs, worstMs: wait.worstTwentiethMs, measured: scrub ? 1 : 0 },
    });
  const sharpness = shownSharpness(prediction);
  if (plays && sharpness.pixels < sharpness.of)
    notes.push({
      ...emptyCause('soft picture', 'show'),
      numbers: {
        pixels: sharpness.pixels,
        of: sharpness.of,
        width: sharpness.width,
        height: sharpness.height,
      },
      names: sharpness.fromCopies ? ['light copy'] : [],
    });
  if (!measured) return notes;
  const lateness = measured.summary.meanLatenessMs ?? 0;
  if (lateness > budgetMs / 2)
    notes.push({
      ...emptyCause('picture behind sound'),
      numbers: { latenessMs: lateness, framesLate: lateness / budgetMs },
    });
  const trend = slowing(measured.log);
  if (trend > SLOWER) notes.push({ ...emptyCause('slowing down', 'decode'), numbers: { times: trend } });
  const { othersShare } = measured.facts;
  if (isDisturbed({ othersShare }))
    notes.push({
      ...emptyCause('other programs'),
      numbers: { loadPercent: 100 * othersShare!, measured: 1 },
    });
  const playedMs = measured.log.length * budgetMs;
  const { mixMs, gapSamples } = measured.facts.sound;
  if (mixMs > MUCH_MIXING * playedMs || gapSamples > 0)
    notes.push({
      ...emptyCause('sound'),
      numbers: { mixPercent: (100 * mixMs) / Math.max(1, playedMs), gapMs: gapSamples / 48 },
    });
  return notes;
}

/** How many times more a decoded picture costs in the last third of a run than in the first. */
function slowing(log: FrameLog): number {
  if (log.length < FEWEST_FOR_TREND) return 1;
  const third = Math.floor(log.length / 3);
  const cost = (from: number): number => {
    const each: number[] = [];
    for (let frame = from; frame < from + third; frame++) {
      const pictures = log.get(frame, 'decoded');
      if (pictures > 0) each.push(log.get(frame, 'decode') / pictures);
    }
    return each.sort((a, b) => a - b)[Math.floor(each.length / 2)] ?? 0;
  };
  const first = cost(log.firstFrame);
  return first > 1 ? cost(log.firstFrame + log.length - third) / first : 1;
}
