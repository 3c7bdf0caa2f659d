import type { Passage, Pose } from '@hone/core/render';
import type { MediaFile } from '../plan.js';
import type { Decoder } from '../shared/messages.js';
import type { ColourCoding } from '../shared/picture.js';

/** A picture that waits to be shown. */
export interface ReadyPicture {
  readonly address: number;
  readonly pose: Pose;
  /** Effects of its last stage, whose masks and transform are still to be done; none of a slate. */
  readonly effects: Passage['effects'];
  readonly coding: ColourCoding;
  readonly decoder: Decoder;
  /** The file that it was taken from; null for a slate. */
  readonly file: MediaFile | null;
  /** Whether its effects of pixels are still to be done as well. */
  readonly isBare: boolean;
  /** Whether its own alpha follows it in memory. */
  readonly hasAlpha: boolean;
}
