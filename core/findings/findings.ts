import { FrameLog, isRealTime } from '../playback/index.js';
import { expectedDrops, type Prediction } from '../simulation/index.js';
import { bottlenecks } from './bottlenecks.js';
import type { FindingContext, MeasuredRun } from './context.js';
import { findingOf, type Finding } from './finding.js';
import { machineFindings } from './machine-findings.js';
import { mediaFindings } from './media-findings.js';
import { runFindings } from './run-findings.js';
import { busiestUse, windowsOf, type Window } from './utilisation.js';

/**
 * Diagnoses a frame log, measured or predicted: what holds playback back in the seconds that drop frames, and what else is
 * known of machine, media and run. Nothing else names a cause.
 * @param log of the timeline in the context; see `diagnosedLog`
 * @returns those that drop most frames first; where the timeline is real time, that comes before them
 */
export function findings(log: FrameLog, context: FindingContext): Finding[] {
  const windows = windowsOf(context.prediction.workload);
  const found = [
    ...bottlenecks(log, context, windows),
    ...mediaFindings(context, windows),
    ...machineFindings(context),
    ...runFindings(context),
  ].sort((a, b) => b.dropped - a.dropped);
  return isRealTimeThroughout(context) ? [realTime(windows), ...found] : found;
}

/** Findings that a run shows, without those predicted for frames that it did not play. */
export const findingsOfRun = (all: readonly Finding[]): Finding[] =>
  all.filter(({ dropped, measuredDrops }) => dropped === 0 || (measuredDrops ?? 0) > 0);

/** The log of a timeline: measured where a run went, predicted elsewhere. */
export function diagnosedLog(prediction: Prediction, run: MeasuredRun | null): FrameLog {
  if (!run) return prediction.log;
  const { firstFrame, length } = prediction.log;
  const log = new FrameLog(firstFrame, prediction.log.values.slice());
  const from = Math.max(firstFrame, run.log.firstFrame);
  const to = Math.min(firstFrame + length, run.log.firstFrame + run.log.length);
  if (to > from) log.rows(from, to).set(run.log.rows(from, to));
  return log;
}

/** Whether the run, where there was one, and the expected drops elsewhere are real time together. */
function isRealTimeThroughout({ run, prediction }: FindingContext): boolean {
  if (!run) return isRealTime(prediction.summary);
  const { from, to } = prediction.workload;
  const played = { from: run.log.firstFrame, to: run.log.firstFrame + run.log.length };
  const elsewhere = [
    { from, to: Math.min(played.from, to) },
    { from: Math.max(played.to, from), to },
  ].filter((range) => range.to > range.from);
  const { summary } = run;
  const dropped = elsewhere.reduce(
    (sum, range) => sum + expectedDrops(prediction, range.from, range.to),
    summary.dropped,
  );
  const wanted = elsewhere.reduce((sum, range) => sum + range.to - range.from, summary.wanted);
  return isRealTime({ dropped, wanted, worstSecondDropShare: summary.worstSecondDropShare });
}

function realTime(windows: readonly Window[]): Finding {
  const busiest = windows.reduce<Window | undefined>(
    (most, each) => (most && busiestUse(most) >= busiestUse(each) ? most : each),
    undefined,
  );
  return findingOf(
    'real-time',
    { peakUsePercent: busiest ? 100 * busiestUse(busiest) : 0 },
    { ranges: busiest ? [{ from: busiest.from, to: busiest.to }] : [] },
  );
}
