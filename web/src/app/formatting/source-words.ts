import type { DamagedPart, LightCopy, Source } from '@hone/core/api';
import {
  serverDecodeReason,
  shownSize,
  type Condition,
  type ConditionKind,
  type PictureFacts,
  type SourceFacts,
} from '@hone/core/media';
import { formatTimecode, timecodeOf, toNumber, type Rational } from '@hone/core/time';
import type { PictureOrigin } from '@hone/player';
import { codecName } from './codec-words';
import { bytes, dataRate, milliseconds, perCent, pixels } from './quantities';

/** Origin of a picture in the viewer, for the plate under it. */
export function originText({ choice, pixels: size, decoder }: PictureOrigin): string {
  const file = size ? `${choice} ${pixels(size)}` : choice;
  return decoder === null ? file : `${file}, decoded by the ${decoder}`;
}

export const rateText = (rate: Rational): string => `${Number(toNumber(rate).toFixed(3))} frames/s`;

/** Length of a source: as timecode of its own rate where it has a picture, in seconds where it has only sound. */
export function lengthText({ picture, duration }: Pick<SourceFacts, 'picture' | 'duration'>): string {
  if (picture)
    return formatTimecode(picture.frameCount, timecodeOf({ rate: picture.rate, dropFrame: false }));
  const seconds = toNumber(duration);
  const minutes = Math.floor(seconds / 60);
  return minutes ? `${minutes} min ${(seconds % 60).toFixed(1)} s` : `${seconds.toFixed(2)} s`;
}

export const STATE_TEXTS: Readonly<Record<Source['state'], string>> = {
  ready: 'ready',
  expected: 'waiting',
  growing: 'still growing',
  missing: 'missing',
  unreadable: 'unreadable',
};

export function copyText(copy: LightCopy | null | undefined): string {
  if (!copy) return 'none';
  if (copy.state === 'ready') return `${pixels(copy)} · ${bytes(copy.bytes)}`;
  return { making: 'being made', failed: 'could not be made', stale: 'of an older file' }[copy.state];
}

/** Where a source is damaged; it plays on behind it. */
export function damageText(parts: readonly DamagedPart[]): string {
  const listed = parts.slice(0, 5).map(({ fromSeconds, toSeconds }) => {
    const [from, to] = [fromSeconds.toFixed(1), toSeconds.toFixed(1)];
    return from === to ? `at ${from} s` : `${from} to ${to} s`;
  });
  const more = parts.length > 5 ? ` and ${parts.length - 5} more places` : '';
  return `${listed.join(', ')}${more}; it plays on behind that`;
}

/** A group of facts with a heading, for the detail panel. */
export interface FactGroup {
  readonly title: string;
  readonly facts: readonly (readonly [name: string, value: string])[];
}

const fraction = ({ num, den }: Rational): string => (den === 1 ? String(num) : `${num}/${den}`);

function pictureGroup(picture: PictureFacts, source: Source): FactGroup {
  const { colour } = picture;
  const tags = [colour.matrix, colour.primaries, colour.transfer].map((tag) => tag ?? 'not said');
  const spread = source.structure && !source.structure.constantRate ? source.structure.stepMs : null;
  return {
    title: 'Picture',
    facts: [
      ['Codec', [codecName(picture.codec), picture.profile].filter(Boolean).join(', ')],
      ['Level', picture.level === null ? 'none' : String(picture.level)],
      ['Size', pixels(shownSize(picture))],
      ['Stored', `${pixels(picture.size)}, ${rotationText(picture.rotation)}`],
      ['Pixel aspect', fraction(picture.pixelAspect)],
      ['Rate', `${rateText(picture.rate)} (${fraction(picture.rate)})`],
      [
        'Average and real rate',
        `${rateText(picture.averageRate)}, ${picture.realRate ? rateText(picture.realRate) : 'not said'}`,
      ],
      [
        'Constant',
        picture.constantRate && !spread
          ? 'yes'
          : spread
            ? `no: ${milliseconds(spread.shortest)} to ${milliseconds(spread.longest)} between frames`
            : 'no',
      ],
      ['Frames', String(picture.frameCount)],
      ['Scan', picture.scan],
      [
        'Samples',
        `${picture.chroma}, ${picture.bitDepth} bits${picture.alpha ? ', alpha' : ''} (${picture.pixelFormat})`,
      ],
      ['Colour', `${tags.join(' / ')}, ${colour.range ?? 'range not said'}`],
      [
        'Decoded by',
        serverDecodeReason(source.facts!, source.stills)
          ? `the server: ${serverDecodeReason(source.facts!, source.stills)}`
          : 'the browser, if it can',
      ],
    ],
  };
}

function structureGroup({ structure }: Source): FactGroup | null {
  if (!structure) return null;
  const { gopFrames: gop, coldStartFrames: cold } = structure;
  const groups =
    gop.shortest === gop.longest
      ? `${gop.longest} frames`
      : `${gop.shortest} to ${gop.longest} frames, mostly ${gop.median}`;
  return {
    title: 'Packets',
    facts: [
      [
        'Compression',
        structure.kind === 'intra' ? 'intra: every frame on its own' : `long-GOP: groups of ${groups}`,
      ],
      ['Order', structure.reordered ? 'B-frames: decoded in another order than shown' : 'decoded as shown'],
      ...(structure.unreferencedShare ? [unneeded(structure.unreferencedShare)] : []),
      ['Average', dataRate(structure.averageBitsPerSecond)],
      [
        'Peak over a second',
        `${dataRate(structure.peakBitsPerSecond)} at ${structure.peakAtSeconds.toFixed(1)} s`,
      ],
      [
        'A frame',
        `${bytes(Math.round(structure.bitsPerFrame / 8))}, ${structure.bitsPerPixel.toFixed(3)} bits a pixel`,
      ],
      ['Price of a cut', `${cold.mean.toFixed(1)} frames to decode on average, ${cold.most} at most`],
      ['Packets', `${structure.packets}, ${structure.keyFrames} of them key frames`],
    ],
  };
}

const unneeded = (share: number): readonly [string, string] => [
  'Can be left out',
  `${perCent(share)} of the frames, which no other refers to: not decoded unless shown, and first to go when it is late`,
];

/** All facts of a source, in groups. */
export function factGroups(source: Source, copy: LightCopy | null): FactGroup[] {
  const { facts } = source;
  if (!facts) return [];
  const file: FactGroup = {
    title: 'File',
    facts: [
      ['Container', containerText(facts)],
      ['Folder', source.folder],
      ['Drive', source.drive],
      ['On disk', bytes(source.bytes)],
      ['Length', lengthText(facts)],
      ['Timecode', facts.timecode ?? 'none'],
      ...(source.damage?.length ? [['Damaged', damageText(source.damage)] as const] : []),
      ['Fingerprint', source.contentHash ? source.contentHash.slice(0, 16) : 'being computed'],
    ],
  };
  const groups = [file];
  if (facts.picture) groups.push(pictureGroup(facts.picture, source));
  const structure = structureGroup(source);
  if (structure) groups.push(structure);
  if (facts.sound) {
    const { codec, sampleRate, channels } = facts.sound;
    const prepared = source.sound;
    groups.push({
      title: 'Sound',
      facts: [
        ['Codec', `${codecName(codec)}, ${sampleRate} Hz, ${channelText(channels)}`],
        ['Decoding', prepared ? `${Math.round(prepared.timesRealTime)} times real time` : 'not measured yet'],
        [
          'Prepared',
          prepared ? (prepared.decoded ? 'kept decoded' : 'peaks; played from the file') : 'waiting',
        ],
      ],
    });
  }
  if (facts.picture) {
    const about: [string, string][] = [['Light copy', copyText(copy)]];
    if (copy?.state === 'ready') about.push(['Lies in', copy.folder]);
    if (copy?.likeness)
      about.push([
        'Likeness',
        `SSIM ${copy.likeness.ssim.toFixed(3)}, ${copy.likeness.psnrDb.toFixed(1)} dB`,
      ]);
    groups.push({ title: 'Light copy', facts: about });
  }
  return groups;
}

const CONDITION_TEXTS: Readonly<Record<ConditionKind, readonly [is: string, isNot: string]>> = {
  larger: ['larger than the working size', 'not larger than the working size'],
  longGop: ['long-GOP', 'not long-GOP'],
  bitRate: ['more than {} Mbit/s', 'at most {} Mbit/s'],
  rate: ['rate differs', 'rate is the timeline’s'],
  used: ['used on this timeline', 'not used on this timeline'],
  noCopy: ['no copy yet', 'has a copy'],
  drive: ['peaks above what its drive reads', 'its drive keeps up'],
  interlaced: ['interlaced', 'progressive'],
  server: ['decoded by the server', 'decoded by the browser'],
  text: ['has “{}”', 'has no “{}”'],
  bin: ['in {}', 'not in {}'],
};

export const conditionText = ({ kind, not, value }: Condition): string =>
  CONDITION_TEXTS[kind][not ? 1 : 0].replace('{}', String(value ?? ''));

// ffprobe names all containers that one reader of its reads.
const FAMILIES: Readonly<Record<string, readonly [picture: string, soundOnly: string]>> = {
  'mov,mp4,m4a,3gp,3g2,mj2': ['MP4 or MOV', 'MP4 sound (M4A)'],
  'matroska,webm': ['Matroska or WebM', 'Matroska sound'],
  mpegts: ['MPEG transport stream', 'MPEG transport stream'],
  mpeg: ['MPEG program stream', 'MPEG program stream'],
  avi: ['AVI', 'AVI'],
  mxf: ['MXF', 'MXF'],
  ogg: ['Ogg', 'Ogg'],
  wav: ['WAV', 'WAV'],
  aiff: ['AIFF', 'AIFF'],
  flac: ['FLAC', 'FLAC'],
  mp3: ['MP3', 'MP3'],
  aac: ['ADTS (AAC)', 'ADTS (AAC)'],
  flv: ['Flash video', 'Flash video'],
  asf: ['ASF', 'ASF'],
  image2: ['numbered stills', 'numbered stills'],
};

export function containerText({ container, picture }: Pick<SourceFacts, 'container' | 'picture'>): string {
  return FAMILIES[container]?.[picture ? 0 : 1] ?? container.toUpperCase();
}

export function channelText(channels: number): string {
  if (channels === 1) return 'mono';
  return channels === 2 ? 'stereo' : `${channels} channels`;
}

/** Text of a picture's rotation. */
export const rotationText = (degrees: number): string => {
  if (degrees === 0) return 'upright';
  if (degrees === 180) return 'turned upside down';
  return degrees === 90 ? 'turned 90° clockwise' : 'turned 90° counterclockwise';
};
