import { diagnosedLog, findings, recommend, type MeasuredRun } from '@hone/core/findings';
import { PacketIndex } from '@hone/core/media';
import { stageMsOf, effectSums, type Situation } from '@hone/core/cost-model';
import { FrameLog, STAGES, type Stage } from '@hone/core/playback';
import { learnRun, predict, scrubWait, type Prediction } from '@hone/core/simulation';
import type {
  LearnRequest,
  Predicted,
  PredictionMessage,
  PredictionReply,
  PredictionRequest,
} from './prediction-messages';

/** Where predictions are made, so that neither the page nor playback waits for them. */
const indexes = new Map<string, PacketIndex>();
let latest = 0;
/** What was predicted last: of nearly the same, only what has changed is played again. */
let before: Prediction | undefined;

/** What was predicted last; runs are learned from in it. */
let predicted: Situation | undefined;

addEventListener('message', ({ data }: MessageEvent<PredictionMessage>) => {
  if (data.kind === 'learn') return void learn(data);
  latest = data.id;
  // Whatever has come in meanwhile is read first: only the newest question is answered.
  setTimeout(() => {
    if (data.id === latest) answer(data);
  });
});

function answer({
  id,
  situation: asked,
  packets,
  measured,
  isRough,
  scrub,
  planned,
}: PredictionRequest): void {
  for (const [sourceId, bytes] of packets) indexes.set(sourceId, PacketIndex.from(bytes));
  try {
    const run: MeasuredRun | null = measured && {
      log: new FrameLog(measured.firstFrame, measured.log),
      summary: measured.summary,
      facts: measured.facts,
    };
    const given: Situation = { ...asked, indexes };
    predicted = given;
    const situation =
      isRough && run ? { ...given, calibration: learnRun(given, run.log, measured?.facts.ranges) } : given;
    const prediction = predict(situation, before);
    before = prediction;
    const wait = scrub ? null : scrubWait(situation, prediction.work);
    const context = { situation, prediction, run, scrub, scrubWait: wait, planned };
    const found = findings(diagnosedLog(prediction, run), context);
    const figures = figuresOf(situation, prediction);
    tell({
      id,
      kind: 'predicted',
      predicted: { ...figures, findings: found, runId: measured?.runId ?? null },
    });
    setTimeout(() => {
      if (id === latest)
        tell({ id, kind: 'recommended', recommendations: recommend(situation, prediction, found) });
    });
  } catch (error) {
    tell({ id, kind: 'failed', message: error instanceof Error ? error.message : String(error) });
  }
}

function learn({ id, firstFrame, log, ranges }: LearnRequest): void {
  if (!predicted) return tell({ id, kind: 'failed', message: 'Nothing was predicted before this run.' });
  const calibration = learnRun(predicted, new FrameLog(firstFrame, log), ranges);
  tell({ id, kind: 'learned', calibration });
}

function figuresOf({ rig }: Situation, prediction: Prediction): Omit<Predicted, 'findings' | 'runId'> {
  const { work } = prediction;
  const whole = { ...work, preview: { ...work.preview, bypass: [] } };
  const { workload, summary, framesPerSecond, coreUse, unmeasured, log, drops, nominalLog, ranges } =
    prediction;
  const stageMs = Object.fromEntries(STAGES.map((stage) => [stage, stageMsOf(workload, stage)]));
  return {
    ...{ rate: workload.rate, summary, framesPerSecond, coreUse, unmeasured, ranges },
    stageMs: stageMs as Record<Stage, Float32Array>,
    log: log.values,
    drops,
    nominalLog: nominalLog.values,
    effects: effectSums(rig, whole, []),
    workload: { from: workload.from, segments: workload.segments, drives: workload.drives },
  };
}

const tell = (reply: PredictionReply): void => postMessage(reply);
