import type { RunRecord } from '@hone/core/api';
import type { TuningFigures } from '@hone/core/findings';
import { showAlike, type Tuning } from '@hone/core/levers';
import { framesPerSecond } from '../formatting/quantities';

/** The last run of a whole timeline that showed and read what a tuning does. @param length of the timeline, frames */
export const wholeRunWith = (
  runs: readonly RunRecord[],
  length: number,
  tuning: Tuning,
): RunRecord | undefined =>
  runs.find(
    ({ facts, summary }) =>
      summary.wanted >= length - 1 &&
      showAlike(facts.tuning, tuning) &&
      facts.tuning.lightCopies === tuning.lightCopies &&
      pathsOf(facts.tuning) === pathsOf(tuning) &&
      facts.tuning.composeOn === tuning.composeOn &&
      (facts.tuning.renderCache ?? true) === (tuning.renderCache ?? true),
  );

const pathsOf = ({ decodePaths = [] }: Tuning): string =>
  JSON.stringify(decodePaths.map(({ codec, profile, path }) => `${codec} ${profile} ${path}`).toSorted());

export const figuresText = (figures: TuningFigures): string =>
  figures.isRealTime ? 'plays' : framesPerSecond(figures.framesPerSecond);
