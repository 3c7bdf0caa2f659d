import { causesOf, recommend, type Measured } from '@hone/core/findings';
import { PacketIndex } from '@hone/core/media';
import { FrameLog, stageMsOf, STAGES, type Stage } from '@hone/core/playback';
import { effectSums, predict, scrubWait, type Prediction, type Situation } from '@hone/core/rig';
import type { Predicted, PredictionReply, PredictionRequest } from './prediction-messages';

/** Where predictions are made, so that neither the page nor playback waits for them. */
const indexes = new Map<string, PacketIndex>();
let latest = 0;
/** What was predicted last: of nearly the same, only what has changed is played again. */
let before: Prediction | undefined;

addEventListener('message', ({ data }: MessageEvent<PredictionRequest>) => {
  latest = data.id;
  // Whatever has come in meanwhile is read first: only the newest question is answered.
  setTimeout(() => {
    if (data.id === latest) answer(data);
  });
});

function answer({ id, situation: asked, packets, measured, scrub, planned }: PredictionRequest): void {
  for (const [sourceId, bytes] of packets) indexes.set(sourceId, PacketIndex.from(bytes));
  try {
    const situation: Situation = { ...asked, indexes };
    const prediction = predict(situation, before);
    before = prediction;
    const run: Measured | null = measured && {
      log: new FrameLog(measured.firstFrame, measured.log),
      summary: measured.summary,
      facts: measured.facts,
    };
    const wait = scrub ? null : scrubWait(situation, prediction.work);
    const causes = causesOf({ situation, prediction, measured: run, scrub, scrubWait: wait, planned });
    tell({ id, kind: 'predicted', predicted: figuresOf(situation, prediction, causes) });
    setTimeout(() => {
      if (id === latest) tell({ id, kind: 'offers', offers: recommend(situation, prediction, causes) });
    });
  } catch (error) {
    tell({ id, kind: 'failed', message: error instanceof Error ? error.message : String(error) });
  }
}

function figuresOf({ rig }: Situation, prediction: Prediction, causes: Predicted['causes']): Predicted {
  const { work } = prediction;
  const whole = { ...work, preview: { ...work.preview, bypass: [] } };
  const { workload, summary, framesPerSecond, coreUse, unmeasured, log, drops, nominalLog } = prediction;
  const stageMs = Object.fromEntries(STAGES.map((stage) => [stage, stageMsOf(workload, stage)]));
  return {
    ...{ rate: workload.rate, summary, framesPerSecond, coreUse, unmeasured, causes },
    stageMs: stageMs as Record<Stage, Float32Array>,
    log: log.values,
    drops,
    nominalLog: nominalLog.values,
    effects: effectSums(rig, whole, []),
    workload: { from: workload.from, segments: workload.segments, drives: workload.drives },
  };
}

const tell = (reply: PredictionReply): void => postMessage(reply);
