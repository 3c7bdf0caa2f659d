import { extname } from 'node:path';

/** Content type of each ending under which media may be read (IANA's registrations where there are any). */
const MEDIA_TYPES: ReadonlyMap<string, string> = new Map([
  ...['.mp4', '.m4v'].map((ending) => [ending, 'video/mp4'] as const),
  ...['.mov'].map((ending) => [ending, 'video/quicktime'] as const),
  ...['.mkv'].map((ending) => [ending, 'video/matroska'] as const),
  ...['.webm'].map((ending) => [ending, 'video/webm'] as const),
  ...['.avi'].map((ending) => [ending, 'video/x-msvideo'] as const),
  ...['.mxf'].map((ending) => [ending, 'application/mxf'] as const),
  ...['.mts', '.m2ts', '.ts'].map((ending) => [ending, 'video/mp2t'] as const),
  ...['.mpg', '.mpeg'].map((ending) => [ending, 'video/mpeg'] as const),
  ...['.3gp'].map((ending) => [ending, 'video/3gpp'] as const),
  ...['.wav'].map((ending) => [ending, 'audio/wav'] as const),
  ...['.mp3'].map((ending) => [ending, 'audio/mpeg'] as const),
  ...['.m4a'].map((ending) => [ending, 'audio/mp4'] as const),
  ...['.aac'].map((ending) => [ending, 'audio/aac'] as const),
  ...['.flac'].map((ending) => [ending, 'audio/flac'] as const),
  ...['.ogg', '.opus'].map((ending) => [ending, 'audio/ogg'] as const),
  ...['.aif', '.aiff'].map((ending) => [ending, 'audio/aiff'] as const),
]);

const STILL = /\.(png|jpe?g|tiff?|dpx|exr|bmp|webp)$/i;

/** Whether a file of this name may be a source. */
export const isMediaName = (name: string): boolean => MEDIA_TYPES.has(extname(name).toLowerCase());

export const isStillName = (name: string): boolean => STILL.test(name);

/** The endings of media, for people. */
export const mediaEndings = (): string => [...MEDIA_TYPES.keys()].join(' ');

/** Content type of a file that Hone gives out; undefined when it is none that a page plays or shows. */
export const mediaTypeOf = (path: string): string | undefined => MEDIA_TYPES.get(extname(path).toLowerCase());
