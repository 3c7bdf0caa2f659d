/** The nearest even number of pixels, two at the least: a chroma sample of 4:2:0 belongs to two by two of them. */
export const evenSide = (pixels: number): number => Math.max(2, 2 * Math.round(pixels / 2));
