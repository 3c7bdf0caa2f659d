import { alphaDecoder, type PictureFacts, type Stills } from '@hone/core/media';
import { formatRational } from '@hone/core/time';
import { fileArgument } from './process.js';

/** Input of ffmpeg: a file, or numbered stills with a placeholder in their path. */
export interface MediaInput {
  readonly path: string;
  readonly stills: Stills | null;
}

export const plainFile = (path: string): MediaInput => ({ path, stills: null });

/** A source whose facts are known. */
interface KnownInput extends MediaInput {
  readonly facts?: { readonly picture: Pick<PictureFacts, 'alpha' | 'codec'> | null } | null;
}

/** The arguments with which ffprobe opens a source. It does not take the name of a decoder. */
export function probeArguments({ path, stills }: MediaInput): string[] {
  const still = stills
    ? ['-f', 'image2', '-framerate', formatRational(stills.rate), '-start_number', String(stills.first)]
    : [];
  return [...still, '-i', fileArgument(path)];
}

/** The arguments with which ffmpeg opens a source. */
export const inputArguments = (input: KnownInput): string[] => [
  ...alphaDecoder(input.facts?.picture),
  ...probeArguments(input),
];

const PLACE = /%0(\d+)d(?=\.[^.]+$)/;

/** Path of one of the images of a numbered row. */
export function stillPath(pattern: string, number: number): string {
  return pattern
    .replace(PLACE, (_, digits: string) => String(number).padStart(Number(digits), '0'))
    .replaceAll('%%', '%');
}

/** Path of the file of a source: itself, or the first still. */
export const leadingFile = ({ path, stills }: MediaInput): string =>
  stills ? stillPath(path, stills.first) : path;
