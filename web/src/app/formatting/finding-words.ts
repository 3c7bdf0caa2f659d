import type { Finding } from '@hone/core/findings';
import type { Stage } from '@hone/core/playback';
import { count, framesPerSecond, milliseconds, percentOf } from './quantities';

export const STAGE_NAMES: Readonly<Record<Stage, string>> = {
  read: 'Read',
  decode: 'Decode',
  scale: 'Scale',
  effects: 'Effects',
  compose: 'Compose',
  show: 'Show',
};

const ACTS: Readonly<Record<Stage, string>> = {
  read: 'Reading the files',
  decode: 'Decoding',
  scale: 'Scaling to the preview',
  effects: 'Doing the effects',
  compose: 'Composing the layers',
  show: 'Showing the picture',
};

/** The finding as a sentence with the numbers that it comes from. */
export function findingSentence(finding: Finding, framesPerSecondWanted: number): string {
  const { stage, budgetMs, loadPercent, dropped, wanted, framesPerSecondShown } = finding;
  if (!stage) {
    const drops =
      dropped === 0 ? 'no frame was dropped' : `${count(dropped, 'frame was', 'frames were')} dropped`;
    const [busiest, load] = busiestStage(finding);
    return `It plays in real time: ${drops} of ${wanted}. ${STAGE_NAMES[busiest]} is the busiest stage, at ${percentOf(load)} of the frame budget.`;
  }
  if (loadPercent[stage] < FAR_FROM_FULL) {
    return `${dropped} of ${wanted} frames are dropped, though no stage comes near the frame budget: ${STAGE_NAMES[stage]}, the busiest, takes ${percentOf(loadPercent[stage])}. Something else may have held the machine up; play again to see whether it stays.`;
  }
  const cost = (loadPercent[stage] / 100) * budgetMs;
  const several =
    stage === 'decode' && finding.decodedPerFrame > 1.2
      ? ` For each frame, ${finding.decodedPerFrame.toFixed(1)} pictures are decoded.`
      : '';
  const over =
    loadPercent[stage] > 100
      ? `takes ${milliseconds(cost)} where a frame may take ${milliseconds(budgetMs)}`
      : `takes ${milliseconds(cost)} of the ${milliseconds(budgetMs)} of a frame, and leaves too little to recover at cuts`;
  return `${ACTS[stage]} holds playback back: it ${over}, so ${framesPerSecond(framesPerSecondShown)} of ${framesPerSecond(framesPerSecondWanted)} are shown and ${dropped} of ${wanted} frames are dropped.${several}`;
}

/** The few words over a finding. */
export function findingTitle({ stage, loadPercent }: Finding): string {
  if (!stage) return 'It plays in real time';
  return loadPercent[stage] < FAR_FROM_FULL ? 'It drops frames' : 'It does not play in real time';
}

/** Below so many per cent of the frame budget a stage is not what holds playback back. */
export const FAR_FROM_FULL = 60;

function busiestStage(finding: Finding): [Stage, number] {
  const entries = Object.entries(finding.loadPercent) as [Stage, number][];
  return entries.reduce((most, each) => (each[1] > most[1] ? each : most));
}
