import type { DecodeFigures, Rig } from '../machine/index.js';

/** Decode time of one source in a run. */
export type DecodeObservation = Omit<
  DecodeFigures,
  'msPerFrame' | 'together' | 'problem' | 'acceleration'
> & {
  readonly msPerFrame: number;
};

/**
 * Rig with figures for unmeasured decoders, from the decode times of a run. Measured figures stay; the calibration learns
 * their error.
 */
export function refine(rig: Rig, observations: readonly DecodeObservation[], measuredAt: string): Rig {
  const decoders = [...rig.decoders];
  for (const seen of observations) {
    const isKnown = decoders.some(
      (known) =>
        known.msPerFrame !== null &&
        known.decoder === seen.decoder &&
        known.codec === seen.codec &&
        known.profile === seen.profile &&
        known.width === seen.width &&
        known.height === seen.height &&
        Math.abs(known.bitsPerFrame - seen.bitsPerFrame) < 0.2 * seen.bitsPerFrame,
    );
    if (isKnown) continue;
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
