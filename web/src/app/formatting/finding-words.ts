import type { Evidence, Finding, FindingKind, FindingOf } from '@hone/core/findings';
import { sumsOf } from '@hone/core/cost-model';
import { frameBudgetMs, type Stage } from '@hone/core/playback';
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

/** Two digits after the point for what is counted in ones and twos. */
const times = (value: number): string => String(Number(value.toPrecision(2)));

const each = (budgetMs: number): string => `of each ${milliseconds(budgetMs)}`;

/** Cores that are busier than this do not idle, per cent. */
const IDLE_PERCENT = 70;

const coresText = (percent: number): string =>
  percent < IDLE_PERCENT
    ? `while the cores are only ${percentOf(percent)} busy`
    : `and the cores are ${percentOf(percent)} busy`;

const have = (names: readonly string[]): string => (names.length > 1 ? 'have' : 'has');

/** What else takes a fair part of the frame budget on the same cores. */
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
    `The drive ${drive} is nearly full: ${percentOf(freePercent)} are free. A drive so full reads slower and slower.`,
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
    `${count(clips, 'clip lies', 'clips lie')} under others and ${clips === 1 ? 'is' : 'are'} never seen. Hone leaves ${clips === 1 ? 'it' : 'them'} out; a program that does not would decode ${mostLayers} pictures at once where one is seen.`,
  effects: ({ effects, effectsMs, budgetMs }) =>
    `Effects (most of all ${list(effects.map(effectWord))}) take ${milliseconds(effectsMs)} ${each(budgetMs)}.`,
  scaling: ({ scaleMs, budgetMs }) => `Scaling takes ${milliseconds(scaleMs)} ${each(budgetMs)}.`,
  composing: ({ composeMs, budgetMs }) => `Composing takes ${milliseconds(composeMs)} ${each(budgetMs)}.`,
  presentation: ({ showMs, budgetMs }) =>
    `Bringing the picture to the screen takes ${milliseconds(showMs)} ${each(budgetMs)}: so many pixels are too many for this way of drawing.`,
  unexplained: ({ busiestStage, usePercent }) =>
    `Frames are dropped though nothing comes near the frame budget: ${STAGE_NAMES[busiestStage]}, the busiest stage, is ${percentOf(usePercent)} busy. Something else may have held the machine up; play again to see whether it stays.`,
  'hardware-decoding': ({ codec, path }) =>
    `Hardware can decode ${codec} here (${path}), but the browser decodes in software. Look for “hardware acceleration” in the browser’s settings.`,
  'weaker-graphics': ({ renderer, stronger }) =>
    `The browser draws with ${renderer}, and a stronger one idles: ${stronger}. In the graphics settings of the system, choose the stronger one for the browser, and start it again.`,
  'slow-copy-drive': ({ copyDrive, mediaDrive, copyDriveBytesPerSecond }) =>
    `Light copies are on ${copyDrive}, which reads ${rate(copyDriveBytesPerSecond)}: slower than ${mediaDrive}, where the originals are.`,
  'shared-drive': ({ drive, usePercent }) =>
    `Light copies and originals are read from ${drive} at once, which is ${percentOf(usePercent)} busy with it.`,
  'unusable-copies': ({ copies, states }) =>
    `${count(copies, 'light copy', 'light copies')} cannot be used (${list(states)}), so originals are played.`,
  memory: ({ waitingPictures, readAheadSeconds }) =>
    `Memory is short: ${Math.round(waitingPictures)} pictures may wait to be shown, and ${times(readAheadSeconds)} s of the heaviest source are read ahead. Raise the ceiling on the page Rig.`,
  'slow-start': ({ firstFrameMs }) =>
    `The first picture takes ${milliseconds(firstFrameMs)} to come; from then on it plays.`,
  'slow-scrubbing': ({ isMeasured, medianMs, worstTwentiethMs }) =>
    `It plays, but scrubbing ${isMeasured ? 'answers' : 'will answer'} late: ${milliseconds(medianMs)} for most pictures, ${milliseconds(worstTwentiethMs)} for the slowest.`,
  'soft-picture': ({ width, height, pixelPercent, isFromCopies }) =>
    `It plays, and what you see is ${pixels({ width, height })}${isFromCopies ? ', from a light copy' : ''}: ${percentOf(pixelPercent)} of the pixels. A soft picture is the preview, not the footage; the export has all of them.`,
  'picture-behind-sound': ({ latenessMs, framesLate }) =>
    `The picture comes ${milliseconds(latenessMs)} after its sound (${times(framesLate)} frames). Only in the preview: the export is in step.`,
  'storage-space': ({ plannedBytes, freeBytes }) =>
    `What is to be made takes ${bytes(plannedBytes)}, and ${bytes(freeBytes)} are free.`,
  'background-load': ({ isOfRun, loadPercent }) =>
    isOfRun
      ? `While it played, other programs took ${percentOf(loadPercent)} of the cores. Close them and play again; nothing was learned from this run.`
      : `Other programs kept ${percentOf(loadPercent)} of the machine busy when it was measured.`,
  slowdown: ({ ratio }) =>
    `The machine slows down as it runs: the same work cost ${times(ratio)} times as much at the end of the run as at its beginning. Heat or battery saving do that.`,
  sound: ({ mixPercent, gapMs }) =>
    `Sound holds playback up: mixing takes ${percentOf(mixPercent)} of the time, and ${milliseconds(gapMs)} were silent because it was not ready.`,
  'real-time': ({ peakUsePercent }) =>
    `Nothing holds it back. The busiest second takes ${percentOf(peakUsePercent)} of what there is.`,
};

/** How a step of effects reads within a sentence. */
export const effectWord = (step: string): string => (step === 'colour' ? 'colour changes' : step);

/** A finding as a sentence with the numbers that it comes from. */
export const findingSentence = <Kind extends FindingKind>({ kind, evidence }: FindingOf<Kind>): string =>
  WORDS[kind](evidence);

/** Findings that other footage would not have. */
const DECODING: readonly FindingKind[] = ['rate-mismatch', 'serial-decoding', 'long-groups', 'cores'];

/** What to record differently next time; null where that is not the point. */
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
  const sum = whole.slice(from, to).reduce((total, each) => total + each, 0) / (to - from);
  const head = `${STAGE_NAMES[stage]}, predicted: ${milliseconds(sum)} of ${milliseconds(budget)}, ${percentOf((100 * sum) / budget)}`;
  return parts.length ? `${head}: ${parts.join(', ')}` : head;
}
