import { multiplyCosts, type Workload } from './workload.js';
import { hashText } from '../timeline/index.js';
import type { Work } from './build-workload.js';
import type { Calibration, Residual } from './calibration.js';

/** Key of a work: two works with one key play the same pictures at the same sizes, by the same processors. */
export function workKey({ preview, media, drive }: Work): string {
  const { played: graph, playSize, bypass, hold, composeOn } = preview;
  const sources = [...media].map(([id, { choice, size, codec, drive: on, path }]) => [
    ...[id, choice, size, codec, on],
    ...(path === 'hardware' ? [path] : []),
  ]);
  const stretches = graph.stretches.map(({ from, to, layers }) => [from, to, layers]);
  return hashText(
    JSON.stringify([
      ...[graph.rate, stretches, playSize, bypass, sources, drive],
      ...(hold > 1 ? [hold] : []),
      ...(composeOn ? [composeOn] : []),
    ]),
  );
}

export const residualOf = ({ residuals }: Calibration, key: string): Residual | undefined =>
  residuals?.find((each) => each.key === key);

/** Workload with all processor costs multiplied by a factor. */
export const scaleCosts = (workload: Workload, factor: number): Workload =>
  multiplyCosts(workload, {
    decode: () => factor,
    ...{ scale: factor, effects: factor, compose: factor, show: factor },
  });
