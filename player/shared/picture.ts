import { planarBytes } from '@hone/core/media';

export { planarBytes };

/** One plane of 8-bit samples in the shared memory. */
export interface Plane {
  readonly address: number;
  readonly stride: number;
  readonly width: number;
  readonly height: number;
}

/** The luma, blue-difference and red-difference planes of an 8-bit picture. */
export type Planes = readonly [Plane, Plane, Plane];

/** Bytes up to the next multiple of 64, at which the next thing in memory begins. */
export const aligned = (bytes: number): number => (bytes + 63) & ~63;

/** Intersection of a plane with another one. */
export interface Overlap {
  /** First column and row in the plane. */
  readonly column: number;
  readonly row: number;
  /** Zero or less in one of them: no overlap. */
  readonly width: number;
  readonly height: number;
}

/** @param left of the plane within the target, and top; below zero where it begins outside */
export function overlapOf(plane: Plane, target: Plane, left: number, top: number): Overlap {
  const [column, row] = [Math.max(0, -left), Math.max(0, -top)];
  return {
    column,
    row,
    width: Math.min(plane.width, target.width - left) - column,
    height: Math.min(plane.height, target.height - top) - row,
  };
}

/** Bytes of the alpha of a picture: a plane for luma, and one of half its sides for chroma. */
export const alphaBytes = (width: number, height: number): number =>
  width * height + ((width + 1) >> 1) * ((height + 1) >> 1);

/** The planes of an 8-bit 4:2:0 picture that begins at an address. */
export function planarAt(address: number, width: number, height: number): Planes {
  const halfWidth = (width + 1) >> 1;
  const halfHeight = (height + 1) >> 1;
  const blue = address + width * height;
  const red = blue + halfWidth * halfHeight;
  return [
    { address, stride: width, width, height },
    { address: blue, stride: halfWidth, width: halfWidth, height: halfHeight },
    { address: red, stride: halfWidth, width: halfWidth, height: halfHeight },
  ];
}

/** The alpha behind a picture at an address: of luma and of chroma. */
export function alphasAt(
  picture: number,
  { width, height }: { readonly width: number; readonly height: number },
): readonly [Plane, Plane] {
  const address = picture + planarBytes(width, height);
  const half = { stride: (width + 1) >> 1, width: (width + 1) >> 1, height: (height + 1) >> 1 };
  return [
    { address, stride: width, width, height },
    { address: address + width * height, ...half },
  ];
}

/** Colour space and range of samples. */
export interface ColourCoding {
  readonly matrix: 'bt709' | 'bt601' | 'bt2020';
  readonly fullRange: boolean;
}

export const VIDEO_BT709: ColourCoding = { matrix: 'bt709', fullRange: false };

// Weights of red and blue in luma: Recommendations ITU-R BT.709, BT.601 and BT.2020.
const WEIGHTS = { bt709: [0.2126, 0.0722], bt601: [0.299, 0.114], bt2020: [0.2627, 0.0593] } as const;

/** The six numbers that the kernel `toRgba` takes: offset, then quarters of the gains with 15 bits after the point. */
export type ColourCoefficients = readonly [number, number, number, number, number, number];

/** What makes red, green and blue of luma and chroma codes that are numbers of 0 to 255, without their offsets. */
export interface ColourGains {
  /** Code of black. */
  readonly offset: number;
  readonly luma: number;
  readonly redFromV: number;
  /** What green loses. */
  readonly greenFromU: number;
  readonly greenFromV: number;
  readonly blueFromU: number;
}

export function colourGains({ matrix, fullRange }: ColourCoding): ColourGains {
  const [red, blue] = WEIGHTS[matrix];
  const green = 1 - red - blue;
  const chromaGain = fullRange ? 1 : 255 / 224;
  return {
    offset: fullRange ? 0 : 16,
    luma: fullRange ? 1 : 255 / 219,
    redFromV: 2 * (1 - red) * chromaGain,
    greenFromU: (2 * (1 - blue) * blue * chromaGain) / green,
    greenFromV: (2 * (1 - red) * red * chromaGain) / green,
    blueFromU: 2 * (1 - blue) * chromaGain,
  };
}

export function colourCoefficients(coding: ColourCoding): ColourCoefficients {
  const { offset, luma, redFromV, greenFromU, greenFromV, blueFromU } = colourGains(coding);
  const fixed = (gain: number): number => Math.round((gain / 4) * 32_768);
  return [offset, fixed(luma), fixed(redFromV), fixed(greenFromU), fixed(greenFromV), fixed(blueFromU)];
}

/** The eight numbers that the kernel `recodePicture` takes. */
export type RecodeCoefficients = readonly [
  lumaGain: number,
  lumaPlus: number,
  lumaFromU: number,
  lumaFromV: number,
  uFromU: number,
  uFromV: number,
  vFromU: number,
  vFromV: number,
];

/** From a coding to BT.709 in limited range: by way of red, green and blue as the coding's weights give them. */
export function recodeCoefficients({ matrix, fullRange }: ColourCoding): RecodeCoefficients {
  const [red, blue] = WEIGHTS[matrix];
  const green = 1 - red - blue;
  const [toRed, toBlue] = WEIGHTS.bt709;
  const toGreen = 1 - toRed - toBlue;
  /** Luma, blue and red difference in BT.709 of a luma-less colour, all of them 1 at full scale. */
  const recoded = (u: number, v: number): readonly [number, number, number] => {
    const r = 2 * (1 - red) * v;
    const b = 2 * (1 - blue) * u;
    const g = -(red * r + blue * b) / green;
    const luma = toRed * r + toGreen * g + toBlue * b;
    return [luma, (b - luma) / (2 * (1 - toBlue)), (r - luma) / (2 * (1 - toRed))];
  };
  const lumaGain = 219 / (fullRange ? 255 : 219);
  const chroma = fullRange ? 255 : 224;
  const [fromU, fromV] = [recoded(1, 0), recoded(0, 1)];
  return [
    lumaGain,
    16 - (fullRange ? 0 : 16) * lumaGain,
    (219 * fromU[0]) / chroma,
    (219 * fromV[0]) / chroma,
    (224 * fromU[1]) / chroma,
    (224 * fromV[1]) / chroma,
    (224 * fromU[2]) / chroma,
    (224 * fromV[2]) / chroma,
  ];
}

export const isVideo709 = ({ matrix, fullRange }: ColourCoding): boolean => matrix === 'bt709' && !fullRange;
