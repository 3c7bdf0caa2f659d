import type { Rational } from '../time/index.js';
import type { FrameSize, Placeable } from '../timeline/index.js';

/** What ffprobe says of the picture of a source. */
export interface PictureFacts {
  readonly codec: string;
  readonly profile: string;
  readonly size: FrameSize;
  /** Width of a pixel divided by its height. */
  readonly pixelAspect: Rational;
  /** Degrees clockwise by which the picture is turned before it is shown: 0, 90, 180 or 270. */
  readonly rotation: number;
  /** Average frames per second. */
  readonly rate: Rational;
  /** False when the frames do not stand at equal distances. */
  readonly constantRate: boolean;
  readonly frameCount: number;
  readonly pixelFormat: string;
  /** Ticks per second of the time stamps in the file. */
  readonly timescale: number;
}

export interface SoundFacts {
  readonly codec: string;
  readonly sampleRate: number;
  readonly channels: number;
}

/** What is known of a source file. */
export interface SourceFacts {
  readonly container: string;
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

/** The size in square pixels at which a picture is shown, after its rotation. */
export function shownSize(picture: PictureFacts): FrameSize {
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
