import { expose } from 'comlink';
import {
  automaticScale,
  diagnosedLog,
  findings,
  figuresWith,
  recommending,
  type Finding,
  type MeasuredRun,
  type Recommendation,
  type TuningFigures,
} from '@hone/core/findings';
import type { PreviewScale, Tuning } from '@hone/core/levers';
import { PacketIndex } from '@hone/core/media';
import { busiestMsOf, effectSums, type Calibration, type Situation } from '@hone/core/cost-model';
import { FrameLog, pacingSummary, stageRecord } from '@hone/core/playback';
import {
  capabilityOf,
  learnRun,
  predict,
  scrubWait,
  type Capability,
  type Prediction,
} from '@hone/core/simulation';
import type { CapabilityRequest, LearnRequest, Predicted, PredictionRequest } from './prediction-messages';

/** The worker that predicts, so that neither the page nor playback waits. */
const indexes = new Map<string, PacketIndex>();
let latest = 0;
/** Last prediction; unchanged parts of the next one are not simulated again. */
let before: Prediction | undefined;
/** Situation of the last prediction; `learn` compares runs with it. */
let predicted: Situation | undefined;
/** Situation and findings of the last prediction, for `recommend`. */
let answered: { readonly situation: Situation; readonly found: readonly Finding[] } | undefined;

/** Yields to newer messages; only the newest request is answered. */
const later = (): Promise<void> => new Promise((resolve) => setTimeout(resolve));

/** Takes steps until there is a newer request. @returns null then */
async function stepByStep<T>(steps: Generator<void, T>, mine: number): Promise<T | null> {
  for (;;) {
    const step = steps.next();
    if (step.done) return step.value;
    await later();
    if (mine !== latest) return null;
  }
}

const predictor = {
  /** @returns null when a newer request has arrived */
  async predict({
    situation: asked,
    packets,
    measured,
    isRough,
    scrub,
    planned,
  }: PredictionRequest): Promise<Predicted | null> {
    const mine = ++latest;
    for (const [sourceId, bytes] of packets) indexes.set(sourceId, PacketIndex.from(bytes));
    await later();
    if (mine !== latest) return null;
    const run: MeasuredRun | null = measured && {
      log: new FrameLog(measured.firstFrame, measured.log),
      summary: measured.summary,
      facts: measured.facts,
    };
    const given: Situation = { ...asked, indexes, ...(isRough ? { decoding: 'everything' } : {}) };
    predicted = given;
    const situation =
      isRough && run ? { ...given, calibration: learnRun(given, run.log, measured?.facts ?? {}) } : given;
    const prediction = predict(situation, before);
    before = prediction;
    const wait = scrub ? null : scrubWait(situation, prediction.work);
    const context = { situation, prediction, run, scrub, scrubWait: wait, planned };
    const log = diagnosedLog(prediction, run);
    const found = findings(log, context);
    const diagnosed = run ? pacingSummary(log, prediction.workload.rate) : prediction.summary;
    answered = { situation, found };
    return {
      ...figuresOf(situation, prediction),
      ...{ findings: found, diagnosed, runId: measured?.runId ?? null },
    };
  },

  /** The sharpest scale that plays in the last situation. @returns null when a newer request has arrived */
  async automaticScale(): Promise<PreviewScale | null> {
    const mine = latest;
    await later();
    return mine === latest && before && answered ? automaticScale(answered.situation, before) : null;
  },

  /** Predicts each lever's effect on the last findings. @returns null when a newer request has arrived */
  async recommend(): Promise<readonly (readonly Recommendation[])[] | null> {
    const mine = latest;
    await later();
    if (mine !== latest || !before || !answered) return null;
    return stepByStep(recommending(answered.situation, before, answered.found), mine);
  },

  /** Predicts the last situation with another tuning. @returns null when a newer request has arrived */
  async withTuning(tuning: Tuning): Promise<TuningFigures | null> {
    const mine = latest;
    await later();
    if (mine !== latest || !before || !answered) return null;
    return figuresWith(answered.situation, before, tuning);
  },

  /** Ends what is under way: nothing is computed while it plays. */
  stop(): void {
    latest++;
  },

  capabilities({ rig, sources, shape, tuning }: CapabilityRequest): readonly Capability[] {
    return sources
      .map((source) => capabilityOf(rig, source, shape, tuning))
      .filter((each) => each !== undefined);
  },

  /** @throws Error without a prediction before the run */
  learn({ firstFrame, log, facts }: LearnRequest): Calibration {
    if (!predicted) throw new Error('Nothing was predicted before this run.');
    return learnRun(predicted, new FrameLog(firstFrame, log), facts);
  },
};

export type Predictor = typeof predictor;

expose(predictor);

function figuresOf(
  { rig }: Situation,
  prediction: Prediction,
): Omit<Predicted, 'findings' | 'diagnosed' | 'runId'> {
  const { work } = prediction;
  const whole = { ...work, preview: { ...work.preview, bypass: [] } };
  const { workload, summary, framesPerSecond, coreUse, unmeasured, log, drops, nominalLog, ranges } =
    prediction;
  const stageMs = stageRecord((stage) => busiestMsOf(workload, stage));
  return {
    ...{ rate: workload.rate, summary, framesPerSecond, coreUse, unmeasured, ranges },
    stageMs,
    log: log.values,
    drops,
    nominalLog: nominalLog.values,
    effects: effectSums(rig, whole, []),
    workload: { from: workload.from, segments: workload.segments, drives: workload.drives },
  };
}
