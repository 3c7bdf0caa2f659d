import type { PictureChoice, PreviewGraph } from '@hone/core/render';
import { UNCOMPRESSED, type StackedPicture } from '@hone/core/media';
import type { ComposeProcessor, DecodePath } from '@hone/core/levers';
import { mergeRanges, type FrameRange, type FrameSize } from '@hone/core/timeline';
import type { Rational } from '@hone/core/time';

/** A file that a source's picture is played from. */
export interface MediaFile {
  readonly choice: PictureChoice;
  readonly url: string;
  /** Tells its content from that of another file at the same address. */
  readonly stamp: string;
  /** Coding of its pictures. */
  readonly codec: string;
  readonly profile: string;
  /** Path that the browser decodes it by; null leaves it to the browser. */
  readonly path: DecodePath | null;
  /** Size of the coded picture. */
  readonly size: FrameSize;
  readonly rate: Rational;
  readonly constantRate: boolean;
  /** Quarter turns clockwise before it is shown. */
  readonly quarters: number;
  /** Size at which it is shown, in square pixels, turned. */
  readonly shownSize: FrameSize;
  /** Pixels that the file has of the picture, turned. */
  readonly pixels: FrameSize;
  /** Frames in the file. */
  readonly frameCount: number;
  /** Where the server gives out its decoded frames; null when only the browser can decode it. */
  readonly framesUrl: string | null;
  /** Whether a plane of alpha follows each of its pictures. */
  readonly hasAlpha: boolean;
  /** Position of colours and alpha in its coded picture, alpha as grey; null without alpha. */
  readonly stacked: StackedPicture | null;
  /** Whether its colours are those over black; another answer makes other pictures. */
  readonly premultiplied: boolean;
  /** Why the browser is not asked to decode it; null when it is. */
  readonly serverOnly: string | null;
}

/** Whether a file holds nothing but planes of pictures, which are read and not decoded. */
export const isUncompressed = ({ choice, codec }: Pick<MediaFile, 'choice' | 'codec'>): boolean =>
  choice === 'render cache' && codec === UNCOMPRESSED.codec;

/** Complete input of the player, which reads nothing else. */
export interface PreviewPlan {
  readonly preview: PreviewGraph;
  /** Picture files by source. */
  readonly pictures: Readonly<Record<string, MediaFile>>;
  /** Files for the picture at rest, of sources that are played from another file; all others rest as they play. */
  readonly originals: Readonly<Record<string, MediaFile>>;
  /** Names of the sources whose picture there is no file for. */
  readonly missing: Readonly<Record<string, string>>;
  /** What composes its frames. */
  readonly composeOn: ComposeProcessor;
  /** Addresses of the files that sound is read from, by source. */
  readonly sounds: Readonly<Record<string, string>>;
}

/** Sources whose picture is played from a light copy. */
export const copiedSources = (plan: Pick<PreviewPlan, 'pictures'>): string[] =>
  Object.entries(plan.pictures)
    .filter(([, { choice }]) => choice === 'light copy')
    .map(([id]) => id);

/** Timeline frames whose whole picture is played from the render cache. */
export const cachedRanges = ({ preview }: Pick<PreviewPlan, 'preview'>): FrameRange[] =>
  mergeRanges(preview.cached.filter(({ point }) => !point));

/** Timeline frames of which a part of the picture is played from the render cache. */
export const cachedPartRanges = ({ preview }: Pick<PreviewPlan, 'preview'>): FrameRange[] =>
  mergeRanges(preview.cached.filter(({ point }) => point));
