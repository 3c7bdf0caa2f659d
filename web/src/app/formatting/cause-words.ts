import type { Cause, CauseKind } from '@hone/core/findings';
import { frameBudgetMs, sumsOf, type Stage } from '@hone/core/playback';
import { toNumber } from '@hone/core/time';
import type { FrameSize } from '@hone/core/timeline';
import type { Predicted } from '../prediction/prediction-messages';
import { STAGE_NAMES } from './finding-words';
import { bytes, count, framesPerSecond, milliseconds, percentOf, pixels } from './quantities';

/** A stage that takes less of the frame budget is not named beside another one. */
const FAIR_PART = 0.15;

type Numbers = Readonly<Record<string, number>>;

export const list = (names: readonly string[]): string =>
  names.length < 2 ? (names[0] ?? '') : `${names.slice(0, -1).join(', ')} and ${names.at(-1)}`;

const rate = (bytesPerSecond: number | undefined): string => `${bytes(Math.round(bytesPerSecond ?? 0))}/s`;

/** Two digits after the point for what is counted in ones and twos. */
const times = (value: number | undefined): string => String(Number((value ?? 0).toPrecision(2)));

/** What else takes a fair part of the frame budget on the same cores. */
function besideDecoding(n: Numbers): string {
  const others = [
    ['scaling', n['scaleMs'] ?? 0],
    ['effects', n['effectsMs'] ?? 0],
    ['composing', n['composeMs'] ?? 0],
    ['showing', n['showMs'] ?? 0],
  ] as const;
  const large = others.filter(([, ms]) => ms > FAIR_PART * (n['budgetMs'] ?? Infinity));
  return large.map(([name, ms]) => `, ${name} ${milliseconds(ms)}`).join('');
}

const WORDS: Readonly<Record<CauseKind, (numbers: Numbers, names: readonly string[]) => string>> = {
  drive: (n, [drive]) =>
    n['freePercent'] === undefined
      ? `The drive ${drive} cannot feed the picture: ${rate(n['bytesPerSecond'])} are wanted, ${rate(n['peakBytesPerSecond'])} at most, and it gives ${rate(n['driveBytesPerSecond'])}${(n['readers'] ?? 1) > 1 ? ` to ${n['readers']} readers at once` : ''}.`
      : `The drive ${drive} is nearly full: ${percentOf(n['freePercent'])} are free. A drive so full reads slower and slower.`,
  cores: (n, names) =>
    `Decoding ${list(names)} takes ${milliseconds(n['decodeMs'] ?? 0)} of each ${milliseconds(n['budgetMs'] ?? 0)}${besideDecoding(n)}, and all cores together are ${percentOf(n['corePercent'] ?? 0)} busy.`,
  'serial decoding': (n, names) =>
    (n['reachMs'] ?? 0) > 1
      ? `Cuts into ${list(names)} fall into long groups of pictures: one decoder works ${milliseconds(n['reachMs'] ?? 0)} to reach the first frame, while the cores are only ${percentOf(n['corePercent'] ?? 0)} busy.`
      : `One decoder works through ${list(names)} alone and takes ${milliseconds(n['decoderMs'] ?? 0)} of each ${milliseconds(n['budgetMs'] ?? 0)}, while the cores are only ${percentOf(n['corePercent'] ?? 0)} busy.`,
  'thrown away': (n, names) =>
    `${list(names)} ${names.length > 1 ? 'have' : 'has'} more frames a second than the timeline: ${times(n['decodedPerShown'])} are decoded for each one shown.`,
  'oversized source': (_n, names) =>
    `${list(names)} ${names.length > 1 ? 'have' : 'has'} far more pixels than the timeline, and all of them are decoded.`,
  'unseen clips': (n) =>
    `${count(n['clips'] ?? 0, 'clip lies', 'clips lie')} under others and ${n['clips'] === 1 ? 'is' : 'are'} never seen. Hone leaves ${n['clips'] === 1 ? 'it' : 'them'} out; a program that does not would decode ${n['most'] ?? 0} pictures at once where one is seen.`,
  effects: (n, names) =>
    `Effects (most of all ${list(names.map(effectWord))}) take ${milliseconds(n['effectsMs'] ?? 0)} of each ${milliseconds(n['budgetMs'] ?? 0)}.`,
  'scaling or composing': (n) =>
    `Scaling and composing take ${milliseconds((n['scaleMs'] ?? 0) + (n['composeMs'] ?? 0))} of each ${milliseconds(n['budgetMs'] ?? 0)}.`,
  showing: (n) =>
    `Bringing the picture to the screen takes ${milliseconds(n['showMs'] ?? 0)} of each ${milliseconds(n['budgetMs'] ?? 0)}: so many pixels are too many for this way of drawing.`,
  'hardware decoding': (_n, [codec, path]) =>
    `Hardware can decode ${codec} here (${path}), but the browser decodes in software. Look for “hardware acceleration” in the browser’s settings.`,
  'weaker graphics': (_n, [used, stronger]) =>
    `The browser draws with ${used}, and a stronger one idles: ${stronger}. In the graphics settings of the system, choose the stronger one for the browser, and start it again.`,
  'drive of copies': (n, [copies, media]) =>
    media
      ? `Light copies lie on ${copies}, which reads ${rate(n['driveBytesPerSecond'])}: slower than ${media}, where the originals are.`
      : `Light copies and originals are read from ${copies} at once, which is ${percentOf(n['usePercent'] ?? 0)} busy with it.`,
  'copy not usable': (n, states) =>
    `${count(n['copies'] ?? 0, 'light copy', 'light copies')} cannot be used (${list(states)}), so originals are played.`,
  memory: (n) =>
    `Memory is short: ${Math.round(n['waiting'] ?? 0)} pictures may wait to be shown, and ${times(n['aheadSeconds'])} s of the heaviest source are read ahead. Raise the ceiling on the page Rig.`,
  'slow start': (n) =>
    `The first picture takes ${milliseconds(n['firstFrameMs'] ?? 0)} to come; from then on it plays.`,
  'slow scrubbing': (n) =>
    `It plays, but scrubbing ${n['measured'] ? 'answers' : 'will answer'} late: ${milliseconds(n['medianMs'] ?? 0)} for most pictures, ${milliseconds(n['worstMs'] ?? 0)} for the slowest.`,
  'soft picture': (n, names) =>
    `It plays, and what you see is ${pixels({ width: n['width'] ?? 0, height: n['height'] ?? 0 })}${names.length ? ', from a light copy' : ''}: ${percentOf((100 * (n['pixels'] ?? 0)) / (n['of'] ?? 1))} of the pixels. A soft picture is the preview, not the footage; the export has all of them.`,
  'picture behind sound': (n) =>
    `The picture comes ${milliseconds(n['latenessMs'] ?? 0)} after its sound (${times(n['framesLate'])} frames). Only in the preview: the export is in step.`,
  space: (n) =>
    `What is to be made takes ${bytes(n['plannedBytes'] ?? 0)}, and ${bytes(n['freeBytes'] ?? 0)} are free.`,
  'other programs': (n) =>
    n['measured']
      ? `While it played, other programs took ${percentOf(n['loadPercent'] ?? 0)} of the cores. Close them and play again; nothing was learned from this run.`
      : `Other programs kept ${percentOf(n['loadPercent'] ?? 0)} of the machine busy when it was measured.`,
  'slowing down': (n) =>
    `The machine slows down as it runs: the same work cost ${times(n['times'])} times as much at the end of the run as at its beginning. Heat or battery saving do that.`,
  sound: (n) =>
    `Sound holds playback up: mixing takes ${percentOf(n['mixPercent'] ?? 0)} of the time, and ${milliseconds(n['gapMs'] ?? 0)} were silent because it was not ready.`,
  plays: (n) =>
    `Nothing holds it back. The busiest second takes ${percentOf(n['usePercent'] ?? 0)} of what there is.`,
};

/** How a step of effects reads within a sentence. */
export const effectWord = (step: string): string => (step === 'colour' ? 'colour changes' : step);

/** A cause as a sentence with the numbers that it comes from. */
export const causeSentence = ({ kind, numbers, names }: Cause): string => WORDS[kind](numbers, names);

/** What to record differently next time; null where that is not the point. */
export function nextShoot(
  { kind }: Cause,
  { size, framesPerSecond: fps }: { size: FrameSize; framesPerSecond: number },
): string | null {
  if (kind !== 'thrown away' && kind !== 'serial decoding' && kind !== 'cores') return null;
  const rateText = framesPerSecond(fps);
  if (kind === 'thrown away') return `Next shoot: record at ${rateText}.`;
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
