import type { Situation } from '../cost-model/index.js';
import { PREVIEW_SCALES, type PreviewScale } from '../levers/index.js';
import { isRealTime } from '../playback/index.js';
import { predict, type Prediction } from '../simulation/index.js';

/** Where no scale plays, one that drops more than the best by this share of the frames is not worth its sharpness. */
const TOLERANCE = 0.02;

/**
 * The sharpest preview scale that is predicted to play; where none is, the sharpest of those that drop the fewest frames.
 * @param now prediction of the situation as it is
 */
export function automaticScale(situation: Situation, now: Prediction): PreviewScale {
  const { playScale } = situation.tuning;
  const known = new Map<PreviewScale, Prediction>([[playScale, now]]);
  const at = (scale: PreviewScale): Prediction => {
    const tuning = { ...situation.tuning, playScale: scale };
    const prediction = known.get(scale) ?? predict({ ...situation, tuning }, now);
    known.set(scale, prediction);
    return prediction;
  };
  const plays = (scale: PreviewScale): boolean => isRealTime(at(scale).summary);
  const sharper = PREVIEW_SCALES.filter((scale) => scale < playScale).reverse();
  if (plays(playScale)) {
    const firstThatDrops = sharper.findIndex((scale) => !plays(scale));
    const playing = firstThatDrops < 0 ? sharper : sharper.slice(0, firstThatDrops);
    return playing.at(-1) ?? playScale;
  }
  const lower = PREVIEW_SCALES.find((scale) => scale > playScale && plays(scale));
  if (lower !== undefined) return lower;
  const dropShare = (scale: PreviewScale): number => {
    const { dropped, wanted } = at(scale).summary;
    return dropped / Math.max(1, wanted);
  };
  const least = Math.min(...PREVIEW_SCALES.map(dropShare));
  return PREVIEW_SCALES.find((scale) => dropShare(scale) <= least + TOLERANCE) ?? playScale;
}
