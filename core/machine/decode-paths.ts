import { least } from 'd3-array';
import { chosenPath, type DecodePath, type DecodePathChoice } from '../levers/index.js';
import { INTRA_H264, isMadeAlike, serverDecodeReason, type PictureFacts } from '../media/index.js';
import { rational, toNumber } from '../time/index.js';
import { isRefusedByBrowser } from './refusals.js';
import type { DecodeFigures, Rig } from './rig.js';
import type { Sampled } from './samples.js';

/** What decodes the pictures of a source. */
export type ChosenDecoder = DecodePath | 'server';

type Known = Pick<Rig, 'decoders' | 'graphics'>;
type PictureKind = Pick<PictureFacts, 'codec' | 'chroma' | 'bitDepth'> &
  Partial<Pick<PictureFacts, 'profile'>>;
type TriedPicture = PictureKind & Pick<PictureFacts, 'profile' | 'size' | 'rate'>;

/** What decodes the pictures of a timeline. */
export interface ChosenDecoders {
  /** By source; those that are left to the browser are not in it. */
  readonly sources: Readonly<Record<string, ChosenDecoder>>;
  /** Path of light copies and cached stretches in H.264; absent where that is left to the browser. */
  readonly made?: DecodePath | undefined;
}

/** A picture that Hone makes to be played, at the size of a usual preview. */
const MADE_PICTURE: TriedPicture = {
  ...{ ...INTRA_H264, chroma: '4:2:0', bitDepth: 8 },
  ...{ size: { width: 960, height: 540 }, rate: rational(30) },
};

const triedLike = ({ decoders }: Pick<Rig, 'decoders'>, kind: PictureKind): DecodeFigures[] =>
  decoders.filter(
    ({ decoder, codec, profile, chroma, bitDepth }) =>
      decoder === 'browser' &&
      codec === kind.codec &&
      isMadeAlike(profile, kind.profile) &&
      chroma === kind.chroma &&
      bitDepth === kind.bitDepth,
  );

/** Decode figures of a kind of picture by a path, of the nearest size; undefined where it was not measured. */
export function pathFigures(
  rig: Pick<Rig, 'decoders'>,
  picture: PictureKind & Pick<PictureFacts, 'size'>,
  path: DecodePath,
): DecodeFigures | undefined {
  const pixels = picture.size.width * picture.size.height;
  return least(
    triedLike(rig, picture).filter(({ acceleration, msPerFrame }) => acceleration === path && msPerFrame),
    ({ width, height }) => Math.abs(Math.log((width * height) / pixels)),
  );
}

/** Whether a browser was tried with a kind of picture and does not decode it by a path. */
export function lacksPath(rig: Pick<Rig, 'decoders'>, kind: PictureKind, path: DecodePath): boolean {
  const tried = triedLike(rig, kind).filter(({ acceleration }) => acceleration !== 'unknown');
  if (tried.some(({ acceleration }) => acceleration === path)) return false;
  // Before figures named the paths, software was not tried beside hardware.
  const isUntried = path === 'software' && tried.some(isOfOnePath) && !tried.some(({ paths }) => paths);
  return tried.length > 0 && !isUntried;
}

/** Whether figures are of hardware only, from before decoding was tried by both paths. */
export const isOfOnePath = ({ acceleration, paths }: DecodeFigures): boolean =>
  acceleration === 'hardware' && !paths;

/**
 * The path that pictures are decoded by where none was chosen: the quicker one, as measured; and hardware that is twice as
 * fast as the source plays in any case, since it leaves the cores to all else.
 * @returns undefined where nothing was measured, which leaves it to the browser
 */
export function automaticPath(rig: Pick<Rig, 'decoders'>, picture: TriedPicture): DecodePath | undefined {
  const hardware = pathFigures(rig, picture, 'hardware')?.msPerFrame?.value;
  const software = pathFigures(rig, picture, 'software')?.msPerFrame?.value;
  if (hardware === undefined) return software === undefined ? undefined : 'software';
  if (software === undefined) return 'hardware';
  const isAmple = hardware <= 1000 / (2 * toNumber(picture.rate));
  return isAmple || hardware <= software ? 'hardware' : 'software';
}

/** The path that pictures are decoded by: the chosen one where the browser has it, or else the automatic one. */
export function decodePathOf(
  rig: Pick<Rig, 'decoders'>,
  picture: TriedPicture,
  choices: readonly DecodePathChoice[] | undefined,
): DecodePath | undefined {
  const chosen = chosenPath(choices, picture);
  return chosen && !lacksPath(rig, picture, chosen) ? chosen : automaticPath(rig, picture);
}

/** Path by which pictures that Hone made in H.264 are decoded; undefined where that is left to the browser. */
export const madePath = (
  rig: Pick<Rig, 'decoders'>,
  choices: readonly DecodePathChoice[] | undefined,
): DecodePath | undefined => decodePathOf(rig, MADE_PICTURE, choices);

/** What decodes each source, and what Hone makes. */
export function chosenDecoders(
  rig: Known,
  sources: readonly (Sampled & { readonly id: string })[],
  choices: readonly DecodePathChoice[] | undefined,
): ChosenDecoders {
  const chosen: Record<string, ChosenDecoder> = {};
  for (const { id, facts, stills } of sources) {
    if (!facts?.picture || serverDecodeReason(facts, stills) !== null) continue;
    const decoder = isRefusedByBrowser(rig, facts.picture)
      ? 'server'
      : decodePathOf(rig, facts.picture, choices);
    if (decoder) chosen[id] = decoder;
  }
  const made = madePath(rig, choices);
  return { sources: chosen, ...(made && { made }) };
}
