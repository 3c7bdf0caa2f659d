import { DECODE_PATHS, type DecodePath } from '../levers/index.js';
import type { DecodeFigures, Rig } from '../machine/index.js';
import { isMadeAlike } from '../media/index.js';

/** Properties of a frame that its decode time depends on. */
export interface DecodeLoad {
  readonly decoder: DecodeFigures['decoder'];
  /** Path that the browser decodes it by, where it is known. */
  readonly path?: DecodePath | undefined;
  readonly codec: string;
  readonly profile?: string | undefined;
  readonly chroma: string;
  readonly bitDepth: number;
  readonly megapixels: number;
  readonly megabits: number;
}

/** Estimated decode cost of an unmeasured kind of source. */
export interface DecodeEstimate {
  readonly ms: number;
  /** Standard deviation of the natural logarithm of `ms`. */
  readonly spread: number;
}

/** ms on the machine that the references were measured on. */
interface Reference {
  readonly msPerMegapixel: number;
  readonly msPerMegabit: number;
}

/**
 * Decoding by ffmpeg 5.1 on two cores, of clips of 1080 lines and 24 frames/s, one calm and one noisy for each codec. They
 * say how codecs compare; how fast a machine is, is taken from its own figures.
 */
const REFERENCES: Readonly<Record<string, Reference>> = {
  h264: { msPerMegapixel: 1.3, msPerMegabit: 6.2 },
  hevc: { msPerMegapixel: 2.1, msPerMegabit: 7.5 },
  vp8: { msPerMegapixel: 0.7, msPerMegabit: 6.7 },
  vp9: { msPerMegapixel: 1.5, msPerMegabit: 6.5 },
  av1: { msPerMegapixel: 1.3, msPerMegabit: 8 },
  mpeg2video: { msPerMegapixel: 0.54, msPerMegabit: 1.6 },
  mpeg4: { msPerMegapixel: 0.73, msPerMegabit: 1.3 },
  mjpeg: { msPerMegapixel: 1.5, msPerMegabit: 2.1 },
  dnxhd: { msPerMegapixel: 1.4, msPerMegabit: 0.8 },
  prores: { msPerMegapixel: 0.3, msPerMegabit: 2 },
  ffv1: { msPerMegapixel: 1.6, msPerMegabit: 2.2 },
  utvideo: { msPerMegapixel: 2.8, msPerMegabit: 0.2 },
  /** Nothing is decoded: what is estimated is to hand the bytes from the file to the player. */
  rawvideo: { msPerMegapixel: 3, msPerMegabit: 0 },
  huffyuv: { msPerMegapixel: 2, msPerMegabit: 0.4 },
  ffvhuff: { msPerMegapixel: 2, msPerMegabit: 0.4 },
};
/** Estimate for a codec that is not listed: rather heavy. */
const UNKNOWN: Reference = { msPerMegapixel: 2, msPerMegabit: 3 };

/** Work on a pixel for that on one of 4:2:0, and on samples of more than eight bits for that on eight. */
const CHROMA_WORK: Readonly<Record<string, number>> = { '4:2:2': 1.3, '4:4:4': 1.6, RGB: 1.6, gray: 0.7 };
const DEEP_WORK = 1.1;
/** FFV1 of more than eight bits is coded by another coder (RFC 9043, 3.8.1). */
const DEEP_FFV1_WORK = 3;

/** Spread of the logarithm of what a codec costs beside another, beside itself, and on a machine that was not measured. */
const SPREADS = { sameCodec: 0.25, sameDecoder: 0.4, otherDecoder: 0.55, none: 0.8 } as const;

/** ms that the reference machine takes for a picture. */
function referenceMs({ codec, chroma, bitDepth, megapixels, megabits }: DecodeLoad): number {
  const { msPerMegapixel, msPerMegabit } = REFERENCES[codec] ?? UNKNOWN;
  const deep = bitDepth > 8 ? (codec === 'ffv1' ? DEEP_FFV1_WORK : DEEP_WORK) : 1;
  return deep * (msPerMegapixel * megapixels * (CHROMA_WORK[chroma] ?? 1) + msPerMegabit * megabits);
}

/**
 * Estimates the decode time of a picture that a rig was not measured with: that of the reference machine, times the ratio
 * between both at the nearest of the rig's figures, by codec first, then by decoder.
 */
export function estimateDecode(rig: Pick<Rig, 'decoders'>, load: DecodeLoad): DecodeEstimate {
  const reference = referenceMs(load);
  const near = nearest(rig, load);
  if (near.figures.length === 0) return { ms: reference, spread: near.spread };
  let [sum, weights] = [0, 0];
  for (const figures of near.figures) {
    const measured = loadOf(figures);
    const weight = 1 / (0.1 + Math.abs(Math.log(referenceMs(measured) / reference)));
    sum += weight * Math.log(figures.msPerFrame!.value / referenceMs(measured));
    weights += weight;
  }
  return { ms: reference * Math.exp(sum / weights), spread: near.spread };
}

function nearest(
  { decoders }: Pick<Rig, 'decoders'>,
  { decoder, path, codec, profile, bitDepth, chroma }: DecodeLoad,
): { readonly figures: readonly DecodeFigures[]; readonly spread: number } {
  const all = decoders.filter(({ msPerFrame }) => msPerFrame !== null);
  const known = madeAlike(all, profile, (each) => each.decoder === decoder && each.codec === codec);
  const own = byPath(
    known.filter((each) => each.decoder === decoder),
    path,
  );
  const same = own.filter((each) => each.codec === codec);
  const alike = same.filter((each) => each.bitDepth === bitDepth && each.chroma === chroma);
  if (alike.length) return { figures: alike, spread: SPREADS.sameCodec };
  if (same.length) return { figures: same, spread: SPREADS.sameCodec };
  if (own.length) return { figures: own, spread: SPREADS.sameDecoder };
  return { figures: known, spread: known.length ? SPREADS.otherDecoder : SPREADS.none };
}

/**
 * Figures of pictures that were made by Hone or by cameras, as those of a profile were; those of cameras where there are
 * none, or what is wanted is not among them.
 */
export function madeAlike(
  figures: readonly DecodeFigures[],
  profile: string | undefined,
  isWanted: (figures: DecodeFigures) => boolean,
): readonly DecodeFigures[] {
  const alike = figures.filter((each) => isMadeAlike(each.profile, profile));
  if (alike.some(isWanted)) return alike;
  const ofCameras = figures.filter((each) => isMadeAlike(each.profile, undefined));
  return ofCameras.length ? ofCameras : figures;
}

/** Figures but those of the other path; all where no others are left, or the path is not known. */
export function byPath(
  figures: readonly DecodeFigures[],
  path: DecodePath | undefined,
): readonly DecodeFigures[] {
  const other = path === 'hardware' ? 'software' : 'hardware';
  const own = figures.filter(({ acceleration }) => !path || acceleration !== other);
  return own.length ? own : figures;
}

/** What a picture is that figures were measured with. */
export const loadOf = ({ width, height, bitsPerFrame, ...figures }: DecodeFigures): DecodeLoad => ({
  ...figures,
  path: DECODE_PATHS.find((path) => path === figures.acceleration),
  megapixels: (width * height) / 1e6,
  megabits: bitsPerFrame / 1e6,
});
