import { intraEncoder, PROCESSOR_ENCODER, type IntraEncoder } from '../media/index.js';
import type { HardwarePath } from './rig.js';

/** What ffmpeg decodes and encodes by for previews, copies and cached stretches; exports are always of the processor. */
export const FFMPEG_CHOICES = ['automatic', 'hardware', 'processor'] as const;

export type FfmpegChoice = (typeof FFMPEG_CHOICES)[number];

/** Whether a path works and was measured to be quicker than the processor. */
const isQuicker = ({ framesPerSecond, processorFramesPerSecond }: HardwarePath): boolean =>
  framesPerSecond !== undefined &&
  processorFramesPerSecond !== undefined &&
  framesPerSecond.value > processorFramesPerSecond.value;

/**
 * The path that is taken: the quickest that works; by `automatic` only where it is quicker than the processor. Paths of
 * figures from before speeds were measured are not taken, since what they were tried with was not what they are used for.
 */
function takenPath(
  paths: readonly HardwarePath[],
  choice: FfmpegChoice,
  isMeant: (path: HardwarePath) => boolean,
): HardwarePath | undefined {
  if (choice === 'processor') return undefined;
  return paths
    .filter((path) => path.works && path.framesPerSecond && isMeant(path))
    .filter((path) => choice === 'hardware' || isQuicker(path))
    .sort((a, b) => b.framesPerSecond!.value - a.framesPerSecond!.value)[0];
}

/** ffmpeg's method of decoding a codec in hardware; undefined for the processor. */
export const decodeMethod = (
  paths: readonly HardwarePath[],
  choice: FfmpegChoice,
  codec: string,
): HardwarePath | undefined =>
  takenPath(paths, choice, (path) => path.use === 'decode' && path.codec === codec);

/** The encoder of copies and cached stretches. */
export function chosenEncoder(paths: readonly HardwarePath[], choice: FfmpegChoice): IntraEncoder {
  const taken = takenPath(paths, choice, ({ use, name }) => use === 'encode' && isKnown(name));
  return (taken && intraEncoder(taken.name)) ?? PROCESSOR_ENCODER;
}

const isKnown = (name: string): boolean => intraEncoder(name) !== undefined;
