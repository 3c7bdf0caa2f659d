import { median } from 'd3-array';
import type { DecodeFigures, Figure, Rig } from '../machine/index.js';
import { estimateDecode, loadOf } from './decode-estimate.js';

/**
 * A rough rig after trials of decoders on the machine itself. The figures of the trials take the place of its decoders, and
 * its other figures are as much lower or higher as the trials are than what it says of the same sources.
 * @param rough of a similar machine
 */
export function triedRig(rough: Rig, trials: readonly DecodeFigures[]): Rig {
  const inSoftware = trials.filter(
    ({ acceleration, decoder, msPerFrame }) =>
      msPerFrame && decoder === 'browser' && acceleration === 'software',
  );
  const ratios = inSoftware.map((each) => each.msPerFrame!.value / estimateDecode(rough, loadOf(each)).ms);
  const factor = median(ratios);
  const isKnown = trials.some(({ msPerFrame }) => msPerFrame);
  return {
    ...rough,
    decoders: isKnown ? [...trials] : [...rough.decoders, ...trials],
    ...(factor === undefined
      ? {}
      : {
          kernels: rough.kernels.map((each) => ({
            ...each,
            msPerMegapixel: times(each.msPerMegapixel, factor),
          })),
          shows: rough.shows.map((each) => ({ ...each, ms: times(each.ms, factor) })),
        }),
  };
}

const times = (figure: Figure, factor: number): Figure => ({
  ...figure,
  value: figure.value * factor,
  low: figure.low * factor,
  high: figure.high * factor,
});
