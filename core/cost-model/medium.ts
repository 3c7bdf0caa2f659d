import {
  cacheFormat,
  codedSize,
  INTRA_H264,
  megapixels,
  shownSize,
  serverDecodeReason,
  type CopyLayout,
  type PacketIndex,
  type PictureStructure,
  type SourceFacts,
  type Stills,
  type UnreferencedRule,
} from '../media/index.js';
import type { PictureChoice } from '../render/index.js';
import type { CachedStretch } from '../cache/index.js';
import type { FrameSize } from '../timeline/index.js';
import { toNumber } from '../time/index.js';
import { chosenPath, type DecodePath, type DecodePathChoice } from '../levers/index.js';
import {
  decodePathOf,
  isRefusedByBrowser,
  madePath,
  type DecodeFigures,
  type Rig,
} from '../machine/index.js';
import { ShownPictures } from './shown-pictures.js';

/** The medium that a preview decodes: an original, a light copy of it, or a cached stretch. */
export interface PlayedMedium {
  readonly name: string;
  readonly choice: PictureChoice;
  readonly decoder: DecodeFigures['decoder'];
  /** Path that the browser decodes it by; undefined where that is left to the browser. */
  readonly path?: DecodePath | undefined;
  readonly codec: string;
  readonly profile: string;
  readonly chroma: string;
  readonly bitDepth: number;
  /** Size of the coded picture. */
  readonly size: FrameSize;
  /** As it is shown, in square pixels, turned. */
  readonly shownSize: FrameSize;
  /** Part of the coded picture that holds colours, with alpha below; absent where it is the whole. */
  readonly colourSize?: FrameSize | undefined;
  readonly turned: boolean;
  readonly framesPerSecond: number;
  readonly constantRate: boolean;
  readonly frameCount: number;
  readonly bitsPerFrame: number;
  /** Mount point, or name of a simulated drive. */
  readonly drive: string;
  readonly groups: Groups;
}

/**
 * The kind of coding of a medium. First its family, up to the comma: who decodes it, what it is, and whether its pictures
 * stand alone; then how large they are, and how many bits are spent on a pixel, in powers of two.
 */
export function codingOf(medium: PlayedMedium): string {
  const { decoder, path, codec, bitDepth, groups, size, bitsPerFrame } = medium;
  const by = path === 'hardware' ? `${decoder} in hardware` : decoder;
  const depth = bitDepth > 8 ? ` ${bitDepth} bits` : '';
  const family = `${by} ${codec}${depth} ${groups.distance(1) === 1 ? 'intra' : 'long-GOP'}`;
  const pixels = Math.max(1, size.width * size.height);
  const density = Math.round(Math.log2(Math.max(1, bitsPerFrame) / pixels));
  return `${family}, ${megapixels(size).toFixed(1)} MP, 2^${density} bits a pixel`;
}

/** Key shared by all media of one kind of coding. */
export const codingFamily = (coding: string): string => coding.split(',')[0]!;

/** Groups of pictures of a file: where decoding can begin. */
export interface Groups {
  /** Pictures that are decoded to show one from a cold start, by the order in which they are shown. */
  distance(frame: number): number;
  /** Frames at which decoding can begin, from one up to another, ascending. */
  entries(from: number, to: number): number[];
  /**
   * Bits and types of single pictures; absent without a packet index.
   * @param leavesOut whether unreferenced pictures are skipped
   */
  loads?(leavesOut: boolean): ShownPictures;
}

/** Properties of a source that its playback depends on. */
export interface PlayableSource {
  readonly name: string;
  readonly facts: SourceFacts | null;
  readonly stills: Stills | null;
  readonly structure: PictureStructure | null;
  readonly drive: string;
}

export interface PlayableCopy extends CopyLayout {
  readonly bytes: number;
}

/** Figures of what Hone makes to be played. */
const madeFigures = { chroma: '4:2:0', bitDepth: 8, turned: false } as const;

/**
 * The medium that is decoded for a source.
 * @param copy light copy that is played instead; undefined for the original
 * @param copyDrive drive of the light copies
 * @param index of the original; without it, groups of the usual length are assumed
 * @param rig says what its browser does not decode, and how it decodes the rest
 * @param choices of decode paths that were made by hand
 * @returns undefined for a source without a picture
 */
export function playedMedium(
  source: PlayableSource,
  copy: PlayableCopy | undefined,
  copyDrive: string,
  index?: PacketIndex,
  rig?: Pick<Rig, 'decoders' | 'graphics'>,
  choices?: readonly DecodePathChoice[],
): PlayedMedium | undefined {
  const { facts, structure, stills, name } = source;
  const picture = facts?.picture;
  if (!facts || !picture) return undefined;
  const framesPerSecond = toNumber(picture.rate);
  const common = {
    name,
    shownSize: shownSize(picture),
    framesPerSecond,
    constantRate: picture.constantRate,
    frameCount: picture.frameCount,
  };
  if (copy)
    return {
      ...common,
      choice: 'light copy',
      ...{ ...INTRA_H264, ...madeFigures, decoder: 'browser' },
      path: rig ? madePath(rig, choices) : chosenPath(choices, INTRA_H264),
      size: codedSize(copy),
      ...(copy.alphaRow === null ? {} : { colourSize: { width: copy.width, height: copy.height } }),
      bitsPerFrame: (8 * copy.bytes) / Math.max(1, picture.frameCount),
      drive: copyDrive,
      groups: evenGroups(1),
    };
  const isRefused = rig !== undefined && isRefusedByBrowser(rig, picture);
  const isServed = isRefused || serverDecodeReason(facts, stills) !== null;
  const path = rig && !isServed ? decodePathOf(rig, picture, choices) : undefined;
  return {
    ...common,
    choice: 'original',
    decoder: isServed ? 'server' : 'browser',
    path,
    codec: picture.codec,
    profile: picture.profile,
    chroma: picture.chroma,
    bitDepth: picture.bitDepth,
    size: picture.size,
    turned: picture.rotation % 360 !== 0,
    bitsPerFrame: structure?.bitsPerFrame ?? facts.bitsPerSecond / framesPerSecond,
    drive: source.drive,
    groups: index
      ? indexedGroups(index, structure?.unreferenced)
      : evenGroups(structure?.gopFrames.median ?? 1),
  };
}

/**
 * The medium of a cached stretch.
 * @param drive that holds the render cache
 * @param rig says what its browser does not decode, and how it decodes the rest
 * @param choices of decode paths that were made by hand
 */
export function cachedMedium(
  { size, rate, frameCount, bytes, format }: CachedStretch,
  drive: string,
  rig: Pick<Rig, 'decoders' | 'graphics'>,
  choices?: readonly DecodePathChoice[],
): PlayedMedium {
  const { codec, profile, isForBrowser, isLossless } = cacheFormat(format ?? '');
  const isRefused = isRefusedByBrowser(rig, { ...madeFigures, codec, profile });
  return {
    ...{ name: 'render cache', choice: 'render cache', drive },
    ...{ ...madeFigures, codec, profile },
    decoder: isForBrowser && !isRefused ? 'browser' : 'server',
    path: isLossless ? undefined : madePath(rig, choices),
    ...{ size, shownSize: size, frameCount, framesPerSecond: toNumber(rate), constantRate: true },
    bitsPerFrame: (8 * bytes) / Math.max(1, frameCount),
    groups: evenGroups(1),
  };
}

/** One object for each group length, so that results computed from it can be cached by identity. */
const evenly = new Map<number, Groups>();
const indexed = new WeakMap<PacketIndex, Map<UnreferencedRule | undefined, Groups>>();

/** Groups of pictures of one length. */
export function evenGroups(length: number): Groups {
  const every = Math.max(1, Math.round(length));
  const known = evenly.get(every);
  if (known) return known;
  const groups: Groups = {
    distance: (frame) => (frame % every) + 1,
    entries: (from, to) => {
      const frames: number[] = [];
      for (let frame = Math.ceil(from / every) * every; frame < to; frame += every) frames.push(frame);
      return frames;
    },
  };
  evenly.set(every, groups);
  return groups;
}

/** Groups of pictures by a packet index. @param rule that recognises unreferenced pictures */
export function indexedGroups(index: PacketIndex, rule?: UnreferencedRule): Groups {
  const byRule = indexed.get(index) ?? new Map<UnreferencedRule | undefined, Groups>();
  indexed.set(index, byRule);
  const known = byRule.get(rule);
  if (known) return known;
  const loads = new Map<boolean, ShownPictures>();
  const distances = index.decodeDistances();
  const last = Math.max(0, distances.length - 1);
  const groups: Groups = {
    distance: (frame) => distances[Math.min(last, Math.max(0, frame))] ?? 1,
    entries: (from, to) => {
      const frames: number[] = [];
      for (let frame = Math.max(0, from); frame < Math.min(to, distances.length); frame++)
        if (distances[frame] === 1) frames.push(frame);
      return frames;
    },
    loads: (leavesOut) => {
      const made = loads.get(leavesOut) ?? new ShownPictures(index, leavesOut ? rule : undefined);
      loads.set(leavesOut, made);
      return made;
    },
  };
  byRule.set(rule, groups);
  return groups;
}
