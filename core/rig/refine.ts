import type { DecodeFigures, Figure, Rig } from './rig.js';

/** Weight of a run beside what was known. */
const OF_RUN = 0.25;

function refined(figure: Figure, value: number, measuredAt: string): Figure {
  return {
    ...figure,
    value: (1 - OF_RUN) * figure.value + OF_RUN * value,
    low: Math.min(figure.low, value),
    high: Math.max(figure.high, value),
    times: figure.times + 1,
    measuredAt,
    method: /runs/.test(figure.method) ? figure.method : `${figure.method}, refined by runs`,
  };
}

/** What a run showed of decoding one source. */
export type DecodeObservation = Omit<
  DecodeFigures,
  'msPerFrame' | 'together' | 'problem' | 'acceleration'
> & {
  readonly msPerFrame: number;
};

/** Takes in what a run has shown: what was known moves a quarter of the way, what was not is new. */
export function refine(rig: Rig, observations: readonly DecodeObservation[], measuredAt: string): Rig {
  const decoders = [...rig.decoders];
  for (const seen of observations) {
    const at = decoders.findIndex(
      (known) =>
        known.decoder === seen.decoder &&
        known.codec === seen.codec &&
        known.profile === seen.profile &&
        known.width === seen.width &&
        known.height === seen.height &&
        Math.abs(known.bitsPerFrame - seen.bitsPerFrame) < 0.2 * seen.bitsPerFrame,
    );
    const known = decoders[at];
    if (known?.msPerFrame) {
      decoders[at] = { ...known, msPerFrame: refined(known.msPerFrame, seen.msPerFrame, measuredAt) };
      continue;
    }
    const { msPerFrame: value, ...what } = seen;
    const msPerFrame = {
      value,
      low: value,
      high: value,
      times: 1,
      method: 'runs',
      measuredAt,
      disturbed: false,
    };
    decoders.push({ ...what, acceleration: 'unknown', msPerFrame, together: [], problem: null });
  }
  return { ...rig, decoders };
}
