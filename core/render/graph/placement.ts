/** Whole pixels from the top left corner of a frame. All four are even, so that chroma samples stay whole. */
export interface Placement {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}
