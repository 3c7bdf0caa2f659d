import type { Rational } from '../time/index.js';
import type { FrameSize, Placeable } from '../timeline/index.js';
import type { PixelFormatFacts } from './pixel-format.js';

/** Grows when probing finds out more: sources whose facts are of another version are read again. */
export const FACTS_VERSION = 3;

/** Scan type: progressive, or interlaced with one field first. */
export type Scan = 'progressive' | 'top field first' | 'bottom field first';

/** Tags of the file, in ffmpeg's names; null where the file does not say. */
export interface ColourTags {
  readonly matrix: string | null;
  readonly primaries: string | null;
  readonly transfer: string | null;
  readonly range: 'limited' | 'full' | null;
}

/** Properties of a source's picture, as ffprobe reads them. */
export interface PictureFacts extends PixelFormatFacts {
  readonly codec: string;
  readonly profile: string;
  /** As ffprobe numbers it, ten times the level for H.264; null where the codec has none. */
  readonly level: number | null;
  readonly size: FrameSize;
  /** Width of a pixel divided by its height. */
  readonly pixelAspect: Rational;
  /** Degrees clockwise by which the picture is turned before it is shown: 0, 90, 180 or 270. */
  readonly rotation: number;
  /** Frames per second: the real rate when it is constant, else the average. */
  readonly rate: Rational;
  readonly averageRate: Rational;
  /** The lowest rate at which all time stamps fall on a grid; null where the file does not say. */
  readonly realRate: Rational | null;
  /** False for a variable frame rate. */
  readonly constantRate: boolean;
  readonly frameCount: number;
  readonly pixelFormat: string;
  readonly scan: Scan;
  /** Whether transparent colours are premultiplied by black; set by the user, since files do not state it. */
  readonly premultiplied?: boolean | undefined;
  readonly colour: ColourTags;
  /** Ticks per second of the time stamps in the file. */
  readonly timescale: number;
}

export interface SoundFacts {
  readonly codec: string;
  readonly sampleRate: number;
  readonly channels: number;
}

/** Numbered still images that make one moving picture. */
export interface Stills {
  readonly first: number;
  readonly count: number;
  readonly rate: Rational;
}

/** Properties of a source file, as ffprobe reads them. */
export interface SourceFacts {
  readonly version: number;
  readonly container: string;
  /** Timecode of the first frame, as the file writes it. */
  readonly timecode: string | null;
  /** Seconds of picture, or of sound where there is no picture. */
  readonly duration: Rational;
  /** Time stamp of the first frame (of the first sound sample without a picture): zero of all source times. */
  readonly pictureStart: Rational;
  readonly bytes: number;
  /** Average over the whole file. */
  readonly bitsPerSecond: number;
  readonly picture: PictureFacts | null;
  readonly sound: SoundFacts | null;
}

/** The filter, ending in a comma, that makes whole frames of fields; empty for what has no fields. */
export function deinterlacing(scan: Scan): string {
  if (scan === 'progressive') return '';
  return `bwdif=mode=send_frame:parity=${scan === 'top field first' ? 'tff' : 'bff'},`;
}

/**
 * The options of ffmpeg's `scale` that make limited-range BT.709 of a picture. What does not say how it is coded is
 * taken for BT.709, as browsers do; ffmpeg alone would take it for BT.601.
 */
export function scaleColours({ chroma, colour }: Pick<PictureFacts, 'chroma' | 'colour'>): string {
  const to = 'out_color_matrix=bt709:out_range=tv';
  if (chroma === 'RGB') return to;
  return colour.matrix === null || colour.matrix === 'bt709' ? `in_color_matrix=bt709:${to}` : to;
}

/**
 * ffmpeg's filter that makes stereo of a sound. Both channels carry a single one at unity; ffmpeg alone would take it down
 * by 3 dB, which the player does not.
 */
export const stereoFilter = ({ channels }: Pick<SoundFacts, 'channels'>): string =>
  channels === 1 ? 'pan=stereo|c0=c0|c1=c0' : 'aformat=channel_layouts=stereo';

/** The size in square pixels at which a picture is shown, after its rotation. */
export function shownSize(picture: Pick<PictureFacts, 'size' | 'pixelAspect' | 'rotation'>): FrameSize {
  const width = Math.round((picture.size.width * picture.pixelAspect.num) / picture.pixelAspect.den);
  const turned = picture.rotation % 180 !== 0;
  return turned ? { width: picture.size.height, height: width } : { width, height: picture.size.height };
}

export const megapixels = (size: FrameSize): number => (size.width * size.height) / 1e6;

/** A source as an edit sees it. */
export function placeable(sourceId: string, name: string, facts: SourceFacts): Placeable {
  return {
    sourceId,
    name,
    durationSeconds: facts.duration,
    hasPicture: facts.picture !== null,
    hasSound: facts.sound !== null,
  };
}
