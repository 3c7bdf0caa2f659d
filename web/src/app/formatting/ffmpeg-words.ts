import {
  chosenEncoder,
  decodeMethod,
  type FfmpegChoice,
  type Figure,
  type HardwarePath,
  type Rig,
} from '@hone/core/machine';
import { codecName } from './codec-words';

/** What ffmpeg decodes and encodes by with a choice. @param paths as they were tried */
export function ffmpegNote(paths: readonly HardwarePath[], choice: FfmpegChoice): string {
  if (paths.length === 0) return 'Hardware was not tried yet: measure this machine.';
  const codecs = [...new Set(paths.filter(({ use }) => use === 'decode').map(({ codec }) => codec))];
  const decoded = codecs.flatMap((codec) => {
    const path = decodeMethod(paths, choice, codec);
    return path ? [`${codecName(codec)} is decoded by ${path.name}${beside(path)}`] : [];
  });
  const { name } = chosenEncoder(paths, choice);
  const encoder = paths.find((path) => path.use === 'encode' && path.name === name);
  const parts = [...decoded, ...(encoder ? [`pictures are encoded by ${name}${beside(encoder)}`] : [])];
  return parts.length
    ? `Now ${parts.join('; ')}. The processor does the rest.`
    : 'Now the processor decodes and encodes all of it.';
}

function beside({ framesPerSecond, processorFramesPerSecond }: HardwarePath): string {
  const rate = rateText(framesPerSecond);
  return rate && ` (${rate}; processor ${rateText(processorFramesPerSecond) || 'not measured'})`;
}

/** A rate of frames; empty where it was not measured. */
export const rateText = (figure: Figure | undefined): string =>
  figure ? `${figure.value.toFixed(0)} frames/s` : '';

/** That hardware failed, and what goes on. @param reason in ffmpeg's words */
export const lostHardwareText = (reason: string): string =>
  `Hardware failed while ffmpeg worked with it, and the processor took over. ffmpeg says: ${reason} To try hardware again, choose it or measure again on the page Rig.`;

/** Codecs of which the figures of decoding by the server are not of what decodes them now; null without any. */
export function outdatedNote(
  { decoders, hardwarePaths }: Pick<Rig, 'decoders' | 'hardwarePaths'>,
  choice: FfmpegChoice,
): string | null {
  const outdated = decoders.filter(({ decoder, codec, acceleration, msPerFrame }) => {
    const isHardware = decodeMethod(hardwarePaths, choice, codec) !== undefined;
    return decoder === 'server' && msPerFrame !== null && (acceleration === 'hardware') !== isHardware;
  });
  const codecs = [...new Set(outdated.map(({ codec }) => codecName(codec)))];
  if (codecs.length === 0) return null;
  return `Decoding of ${codecs.join(', ')} by the server was measured with another choice. Measure again, so that predictions know this one.`;
}

/** Why hardware cannot be chosen, or automatic does not take it, and what would change that; null where it is taken. */
export function ffmpegReason(paths: readonly HardwarePath[]): string | null {
  if (paths.length === 0) return null;
  if (!paths.some(({ works, framesPerSecond }) => works && framesPerSecond))
    return 'No hardware path of ffmpeg works here; the table below says why of each. A driver or an ffmpeg that offers one would change that: measure again then.';
  return ffmpegNote(paths, 'automatic') === ffmpegNote(paths, 'processor')
    ? 'Automatic leaves all of it to the processor, which is quicker here.'
    : null;
}
