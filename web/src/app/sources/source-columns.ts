import type { LightCopy, Source } from '@hone/core/api';
import { shownSize } from '@hone/core/media';
import { toNumber } from '@hone/core/time';
import {
  channelText,
  containerText,
  copyText,
  lengthText,
  rateText,
  STATE_TEXTS,
} from '../formatting/source-words';
import { codecName } from '../formatting/codec-words';
import { bitRate, bytes, pixels } from '../formatting/quantities';

/** Inputs of a cell beside the source. */
export interface CellContext {
  readonly copyOf: (source: Source) => LightCopy | null;
  readonly isUsed: (source: Source) => boolean;
}

/** A column of the table of sources. */
export interface SourceColumn {
  readonly id: string;
  readonly title: string;
  /** Share of the width. */
  readonly width: string;
  readonly isNumber: boolean;
  text(source: Source, context: CellContext): string;
  /** Sort key: numbers by size, texts by letters. */
  order(source: Source, context: CellContext): number | string;
}

type Picture = NonNullable<NonNullable<Source['facts']>['picture']>;

const ofText = (id: string, title: string, width: string, text: SourceColumn['text']): SourceColumn => ({
  ...{ id, title, width, text },
  isNumber: false,
  order: text,
});

const ofNumber = (
  id: string,
  title: string,
  width: string,
  value: (source: Source, context: CellContext) => number | null | undefined,
  text: (value: number, source: Source) => string,
): SourceColumn => ({
  ...{ id, title, width },
  isNumber: true,
  text: (source, context) => {
    const number = value(source, context);
    return number === null || number === undefined ? '–' : text(number, source);
  },
  order: (source, context) => value(source, context) ?? -1,
});

const picture =
  (of: (picture: Picture, source: Source) => string) =>
  (source: Source): string =>
    source.facts?.picture ? of(source.facts.picture, source) : '–';

export const NAME_COLUMN: SourceColumn = ofText('name', 'Name', 'minmax(190px, 2fr)', ({ name }) => name);

/** All columns that can be chosen. */
export const SOURCE_COLUMNS: readonly SourceColumn[] = [
  ofNumber(
    'size',
    'Size',
    '116px',
    ({ facts }) => facts?.picture && facts.picture.size.width * facts.picture.size.height,
    (_, { facts }) => pixels(shownSize(facts!.picture!)),
  ),
  ofNumber(
    'rate',
    'Rate',
    '124px',
    ({ facts }) => facts?.picture && toNumber(facts.picture.rate),
    (rate, { facts }) =>
      facts!.picture!.constantRate ? rateText(facts!.picture!.rate) : `~ ${rate.toFixed(1)} frames/s`,
  ),
  ofText(
    'codec',
    'Codec',
    '96px',
    picture(({ codec }) => codecName(codec)),
  ),
  ofText(
    'profile',
    'Profile',
    '110px',
    picture(({ profile }) => profile || '–'),
  ),
  ofNumber('level', 'Level', '60px', ({ facts }) => facts?.picture?.level, String),
  ofText(
    'samples',
    'Samples',
    '110px',
    picture(({ chroma, bitDepth }) => `${chroma}, ${bitDepth} bits`),
  ),
  ofText(
    'scan',
    'Scan',
    '110px',
    picture(({ scan }) => scan),
  ),
  ofText(
    'colour',
    'Colour',
    '90px',
    picture(({ colour }) => colour.matrix ?? 'not said'),
  ),
  ofText('structure', 'Compression', '118px', ({ structure, facts }) => {
    if (!facts?.picture) return '–';
    return structure
      ? `${structure.kind}${structure.kind === 'intra' ? '' : ` ${structure.gopFrames.longest}`}`
      : '…';
  }),
  ofNumber('bitRate', 'Average', '92px', ({ facts }) => facts?.bitsPerSecond, bitRate),
  ofNumber('peak', 'Peak', '92px', ({ structure }) => structure?.peakBitsPerSecond, bitRate),
  ofNumber(
    'bitsPerPixel',
    'Bits a pixel',
    '88px',
    ({ structure }) => structure?.bitsPerPixel,
    (value) => value.toFixed(3),
  ),
  ofNumber(
    'cut',
    'Price of a cut',
    '100px',
    ({ structure }) => structure?.coldStartFrames.mean,
    (value) => `${value.toFixed(1)} frames`,
  ),
  ofNumber(
    'duration',
    'Length',
    '92px',
    ({ facts }) => facts && toNumber(facts.duration),
    (_, { facts }) => lengthText(facts!),
  ),
  ofNumber('bytes', 'On disk', '80px', ({ bytes: size }) => size, bytes),
  ofText('timecode', 'Timecode', '98px', ({ facts }) => facts?.timecode ?? '–'),
  ofText('sound', 'Sound', '90px', ({ facts }) =>
    facts?.sound ? `${codecName(facts.sound.codec)}, ${channelText(facts.sound.channels)}` : '–',
  ),
  ofText('container', 'Container', '110px', ({ facts }) => (facts ? containerText(facts) : '–')),
  ofText('bin', 'Bin', '110px', ({ bin }) => bin || '–'),
  ofText('tags', 'Tags', '110px', ({ tags }) => tags.join(', ') || '–'),
  ofText('drive', 'Drive', '110px', ({ drive }) => drive),
  ofText('state', 'State', '92px', ({ state }) => STATE_TEXTS[state]),
  ofText('used', 'On the timeline', '104px', (source, { isUsed }) => (isUsed(source) ? 'yes' : '–')),
  ofText('copy', 'Light copy', '142px', (source, { copyOf }) =>
    source.facts?.picture ? copyText(copyOf(source)) : '–',
  ),
];

/** Puts sources in the order of a column; those that are equal keep their order. */
export function sorted(
  sources: readonly Source[],
  column: SourceColumn,
  descending: boolean,
  context: CellContext,
): Source[] {
  const keyed = sources.map((source) => ({ source, key: column.order(source, context) }));
  const compare = (a: number | string, b: number | string): number =>
    typeof a === 'number' && typeof b === 'number'
      ? a - b
      : String(a).localeCompare(String(b), 'en', { numeric: true, sensitivity: 'base' });
  keyed.sort((a, b) => (descending ? -1 : 1) * compare(a.key, b.key));
  return keyed.map(({ source }) => source);
}
