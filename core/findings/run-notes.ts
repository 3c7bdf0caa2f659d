import { frameBudgetMs, isDisturbed, isRealTime, type FrameLog } from '../playback/index.js';
import type { RenderGraph } from '../render/index.js';
import { shownSharpness } from './sharpness.js';
import { emptyCause, type Cause, type Scene } from './cause.js';

/** From the press of play to the first picture, more than this is felt as a wait (common practice, no source). */
const SLOW_START_MS = 1000;
/** A picture that answers the pointer later than this is felt as late (common practice, no source). */
const SLOW_SCRUB_MS = 150;
/** The same frames that cost so many times more at the end than at the beginning. */
const SLOWER = 1.25;
const FEWEST_FOR_TREND = 120;
/** Pictures of one kind of work in each third, for them to be compared. */
const FEWEST_ALIKE = 20;
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
  const trend = slowing(measured.log, prediction.work.preview.graph);
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

const median = (values: readonly number[]): number | undefined =>
  [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)];
