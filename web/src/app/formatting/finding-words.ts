import { codecName } from './codec-words';
import { sum } from 'd3-array';
import type { Evidence, Finding, FindingKind, FindingOf } from '@hone/core/findings';
import { sumsOf } from '@hone/core/cost-model';
import { frameBudgetMs, limitingStageOf, type Stage } from '@hone/core/playback';
import { toNumber } from '@hone/core/time';
import type { FrameSize } from '@hone/core/timeline';
import type { Predicted } from '../prediction/prediction-messages';
import { STAGE_NAMES } from './stage-words';
import { bytes, count, framesPerSecond, milliseconds, percentOf, pixels } from './quantities';

/** A stage that takes less of the frame budget is not named beside another one. */
const FAIR_PART = 0.15;

export const list = (names: readonly string[]): string =>
  names.length < 2 ? (names[0] ?? '') : `${names.slice(0, -1).join(', ')} and ${names.at(-1)}`;

const rate = (bytesPerSecond: number): string => `${bytes(Math.round(bytesPerSecond))}/s`;

/** Two decimals for small quantities. */
const times = (value: number): string => String(Number(value.toPrecision(2)));

const each = (budgetMs: number): string => `of each ${milliseconds(budgetMs)}`;

/** Cores that are busier than this do not idle, per cent. */
const IDLE_PERCENT = 70;

const coresText = (percent: number): string =>
  percent < IDLE_PERCENT
    ? `while the cores are only ${percentOf(percent)} busy`
    : `and the cores are ${percentOf(percent)} busy`;

const have = (names: readonly string[]): string => (names.length > 1 ? 'have' : 'has');

/** Other stages that take a notable part of the frame budget on the same cores. */
function besideDecoding(evidence: Evidence['cores']): string {
  const { scaleMs, effectsMs, composeMs, showMs, budgetMs } = evidence;
  const others = [
    ['scaling', scaleMs],
    ['effects', effectsMs],
    ['composing', composeMs],
    ['showing', showMs],
  ] as const;
  const large = others.filter(([, ms]) => ms > FAIR_PART * budgetMs);
  return large.map(([name, ms]) => `, ${name} ${milliseconds(ms)}`).join('');
}

type Words = { [Kind in FindingKind]: (evidence: Evidence[Kind]) => string };

const WORDS: Words = {
  drive: ({ drive, wantedBytesPerSecond, peakBytesPerSecond, driveBytesPerSecond, readers }) =>
    `The drive ${drive} cannot feed the picture: ${rate(wantedBytesPerSecond)} are wanted, ${rate(peakBytesPerSecond)} at most, and it gives ${rate(driveBytesPerSecond)}${readers > 1 ? ` to ${readers} readers at once` : ''}.`,
  'full-drive': ({ drive, freePercent }) =>
    `The drive ${drive} is nearly full: ${percentOf(freePercent)} free. A full drive reads slower.`,
  cores: (evidence) =>
    `Decoding ${list(evidence.sources)} takes ${milliseconds(evidence.decodeMs)} ${each(evidence.budgetMs)}${besideDecoding(evidence)}, and all cores together are ${percentOf(evidence.corePercent)} busy.`,
  'long-groups': ({ sources, reachMs, corePercent }) =>
    `Cuts into ${list(sources)} fall into long groups of pictures: one decoder works ${milliseconds(reachMs)} to reach the first frame, ${coresText(corePercent)}.`,
  'decoder-start': ({ sources, startMs }) =>
    `Cuts into ${list(sources)} start decoders anew, which takes ${milliseconds(startMs)} in a second of playing.`,
  'serial-decoding': ({ sources, decoderMs, budgetMs, corePercent }) =>
    `One decoder works through ${list(sources)} alone and takes ${milliseconds(decoderMs)} ${each(budgetMs)}, ${coresText(corePercent)}.`,
  'rate-mismatch': ({ sources, decodedPerShown }) =>
    `${list(sources)} ${have(sources)} more frames a second than the timeline: ${times(decodedPerShown)} are decoded for each one shown.`,
  'oversized-source': ({ sources }) =>
    `${list(sources)} ${have(sources)} far more pixels than the timeline, and all of them are decoded.`,
  'occluded-clips': ({ clips, mostLayers }) =>
    `${count(clips, 'clip lies', 'clips lie')} under others and ${clips === 1 ? 'is' : 'are'} never seen. Hone skips ${clips === 1 ? 'it' : 'them'}; another program may decode ${mostLayers} pictures at once.`,
  effects: ({ effects, effectsMs, budgetMs }) =>
    `Effects (most of all ${list(effects.map(effectWord))}) take ${milliseconds(effectsMs)} ${each(budgetMs)}.`,
  scaling: ({ scaleMs, budgetMs }) => `Scaling takes ${milliseconds(scaleMs)} ${each(budgetMs)}.`,
  composing: ({ composeMs, budgetMs }) => `Composing takes ${milliseconds(composeMs)} ${each(budgetMs)}.`,
  presentation: ({ showMs, budgetMs }) =>
    `Presenting the picture takes ${milliseconds(showMs)} ${each(budgetMs)}: too many pixels for this way of drawing.`,
  unexplained: ({ busiestStage, usePercent }) =>
    `Frames are dropped, but no stage comes near the frame budget: ${STAGE_NAMES[busiestStage]}, the busiest, takes ${percentOf(usePercent)}. Play again to see whether the cause was outside Hone.`,
  'hardware-decoding': ({ codec, path }) =>
    `Hardware can decode ${codecName(codec)} here (${path}), but the browser decodes in software. Look for “hardware acceleration” in the browser’s settings.`,
  'weaker-graphics': ({ renderer, stronger }) =>
    `The browser draws with ${renderer}, and a stronger one idles: ${stronger}. In the graphics settings of the system, choose the stronger one for the browser, and start it again.`,
  'slow-copy-drive': ({ copyDrive, mediaDrive, copyDriveBytesPerSecond }) =>
    `Light copies are on ${copyDrive}, which reads ${rate(copyDriveBytesPerSecond)}: slower than ${mediaDrive}, where the originals are.`,
  'shared-drive': ({ drive, usePercent }) =>
    `Light copies and originals are read from ${drive} at once, which is ${percentOf(usePercent)} busy with it.`,
  'unusable-copies': ({ copies, states }) =>
    `${count(copies, 'light copy', 'light copies')} cannot be used (${list(states)}), so originals are played.`,
  memory: ({ waitingPictures, readAheadSeconds }) =>
    `Memory is short: it holds ${Math.round(waitingPictures)} ready pictures and ${times(readAheadSeconds)} s of read-ahead. Raise the ceiling on the page Rig.`,
  'slow-start': ({ firstFrameMs }) =>
    `The first picture appears after ${milliseconds(firstFrameMs)}; playback is in real time from then on.`,
  'slow-scrubbing': ({ isMeasured, medianMs, worstTwentiethMs }) =>
    `It plays, but scrubbing is ${isMeasured ? '' : 'predicted to be '}slow: median ${milliseconds(medianMs)} to a picture, 95th percentile ${milliseconds(worstTwentiethMs)}.`,
  'soft-picture': ({ width, height, pixelPercent, isFromCopies }) =>
    `It plays at ${pixels({ width, height })}${isFromCopies ? ', from a light copy' : ''}: ${percentOf(pixelPercent)} of the pixels. Only the preview is soft; the export has all pixels.`,
  'picture-behind-sound': ({ latenessMs, framesLate }) =>
    `The picture comes ${milliseconds(latenessMs)} after its sound (${times(framesLate)} frames). Only in the preview: the export is in step.`,
  'storage-space': ({ plannedBytes, freeBytes }) =>
    `The requested files take ${bytes(plannedBytes)}; ${bytes(freeBytes)} are free.`,
  'background-load': ({ isOfRun, loadPercent }) =>
    isOfRun
      ? `Other programs took ${percentOf(loadPercent)} of the cores during the run. Close them and play again; Hone learns nothing from this run.`
      : `Other programs took ${percentOf(loadPercent)} of the machine while it was measured.`,
  slowdown: ({ ratio }) =>
    `The machine slows down: the same work took ${times(ratio)} times as long at the end of the run. Heat or battery saving do that.`,
  sound: ({ mixPercent, gapMs }) =>
    `Sound limits playback: mixing takes ${percentOf(mixPercent)} of the time, and ${milliseconds(gapMs)} were silent.`,
  'real-time': ({ peakUsePercent }) =>
    `No stage limits playback. The busiest second takes ${percentOf(peakUsePercent)} of the machine.`,
};

/** Names of effect passes within a sentence. */
export const effectWord = (step: string): string => (step === 'colour' ? 'colour changes' : step);

/** A finding as a sentence with the numbers that it comes from. */
export const findingSentence = <Kind extends FindingKind>({ kind, evidence }: FindingOf<Kind>): string =>
  WORDS[kind](evidence);

/** Findings that other footage would not have. */
const DECODING: readonly FindingKind[] = ['rate-mismatch', 'serial-decoding', 'long-groups', 'cores'];

/** Advice for the next recording; null where recording is not the point. */
export function nextShoot(
  { kind }: Pick<Finding, 'kind'>,
  { size, framesPerSecond: fps }: { size: FrameSize; framesPerSecond: number },
): string | null {
  if (!DECODING.includes(kind)) return null;
  const rateText = framesPerSecond(fps);
  if (kind === 'rate-mismatch') return `Next shoot: record at ${rateText}.`;
  return `Next shoot: record at ${rateText} in an intra format, about ${bytes(intraBytesAnHour(size, fps))} an hour.`;
}

/** Bytes of a frame of VC-3 at 1920 × 1080 in its heavier profile (SMPTE ST 2019-1; from memory). */
const VC3_BYTES = 917_504;

const intraBytesAnHour = ({ width, height }: FrameSize, fps: number): number =>
  (VC3_BYTES * width * height * fps * 3600) / (1920 * 1080);

const HALF_SECOND = 0.5;

/** The stage that holds playback up, as predicted for the second around a frame. */
export function limitingStage(predicted: Pick<Predicted, 'rate' | 'stageMs'>, frame: number): Stage {
  const half = Math.round(HALF_SECOND * toNumber(predicted.rate));
  const msOf = (stage: Stage): number =>
    sum(predicted.stageMs[stage].subarray(Math.max(0, frame - half), frame + half + 1));
  return limitingStageOf(msOf) ?? 'decode';
}

/** The sum behind a lane at a frame, over the second around it: "decode 61 ms of 41.7: …". */
export function laneSum(
  predicted: Predicted,
  stage: Stage,
  frame: number,
  nameOf: (sourceId: string) => string,
): string {
  const budget = frameBudgetMs(predicted.rate);
  const half = Math.round(HALF_SECOND * toNumber(predicted.rate));
  const whole = predicted.stageMs[stage];
  const [from, to] = [Math.max(0, frame - half), Math.min(whole.length, frame + half + 1)];
  if (to <= from) return '';
  const parts = sumsOf(predicted.workload, stage, from, to).map(({ sourceId, ms, decoded, made }) => {
    const several = stage === 'decode' && decoded > 1.2 * made;
    const many = several ? ` (${times(decoded / Math.max(1, made))} decoded for 1 shown)` : '';
    return `${nameOf(sourceId)} ${milliseconds(ms / (to - from))}${many}`;
  });
  const meanMs = sum(whole.subarray(from, to)) / (to - from);
  // Decoders work side by side.
  const whose = stage === 'decode' && parts.length > 1 ? 'the busiest decoder ' : '';
  const head = `${STAGE_NAMES[stage]}, predicted: ${whose}${milliseconds(meanMs)} of ${milliseconds(budget)}, ${percentOf((100 * meanMs) / budget)}`;
  return parts.length ? `${head}: ${parts.join(', ')}` : head;
}
