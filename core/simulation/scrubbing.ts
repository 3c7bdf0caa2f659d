import { scrubSummary, type ScrubFacts } from '../playback/index.js';
import { simulate } from './simulation.js';
import { buildWorkload, type Work, type Situation } from '../cost-model/index.js';

/** Latency of a picture of scrubbing, ms from the request. */
export type ScrubWait = Pick<ScrubFacts, 'medianMs' | 'worstTwentiethMs'>;

/** Places that the pointer is let down on, evenly over the timeline. */
const PLACES = 60;

/**
 * Predicts how soon scrubbing answers: the pointer is let down at places all over the timeline, and the picture is made
 * there in the size at rest, by decoders that have to be opened.
 * @returns null when there is no frame to stop at
 */
export function scrubWait({ rig, calibration }: Situation, work: Work): ScrubWait | null {
  const { preview } = work;
  const workload = buildWorkload(
    { ...work, preview: { ...preview, playSize: preview.restSize, bypass: preview.restBypass, hold: 1 } },
    rig,
    calibration,
  );
  const frames = workload.to - workload.from;
  if (frames === 0) return null;
  const places = Math.min(PLACES, frames);
  const waits = Array.from({ length: places }, (_, at) => {
    const from = workload.from + Math.floor(((at + 0.5) * frames) / places);
    const { log } = simulate({
      ...workload,
      ...{ from, to: from + 1, startMs: 0 },
      segments: workload.segments.filter((segment) => segment.from <= from && from < segment.to),
      composeMs: workload.composeMs.subarray(from - workload.from, from - workload.from + 1),
    });
    return log.get(from, 'shown');
  });
  return scrubSummary(waits.filter((ms) => !Number.isNaN(ms)));
}
