import { greatest } from 'd3-array';
import type { Source } from '@hone/core/api';
import { chosenPath, DECODE_PATHS, type DecodePath, type DecodePathChoice } from '@hone/core/levers';
import { automaticPath, lacksPath, madePath, pathFigures, type Rig } from '@hone/core/machine';
import { INTRA_H264, isMadeAlike, megapixels, type PictureFacts } from '@hone/core/media';
import type { MediaFile, PreviewPlan } from '@hone/player';

/** Pictures of one codec and profile that a timeline plays, and how they are decoded. */
export interface DecodingRow {
  readonly codec: string;
  readonly profile: string;
  /** Whether they are those of copies and cached stretches. */
  readonly isMade: boolean;
  readonly chosen: DecodePath | 'automatic';
  /** Path that automatic takes; undefined where it is left to the browser. */
  readonly automatic: DecodePath | undefined;
  /** Why the browser is not asked, as a part of a sentence; null where it is. */
  readonly serverOnly: string | null;
  /** Paths that the browser does not decode them by, as tried. */
  readonly lacking: readonly DecodePath[];
  /** ms a picture by each path, of the largest pictures; as far as it was measured. */
  readonly measured: Readonly<Partial<Record<DecodePath, number>>>;
  readonly size: PictureFacts['size'];
  readonly chroma: string;
  readonly bitDepth: number;
}

/** What a copy is coded as (intra H.264, 4:2:0 of 8 bits). */
const MADE_KIND = { ...INTRA_H264, chroma: '4:2:0', bitDepth: 8 } as const;

/**
 * The kinds of pictures that a plan plays, in the order of their names.
 * @param rig of this machine; null before it is known
 */
export function decodingRows(
  { pictures, originals }: Pick<PreviewPlan, 'pictures' | 'originals'>,
  sources: readonly Source[],
  rig: Pick<Rig, 'decoders'> | null,
  choices: readonly DecodePathChoice[] | undefined,
): DecodingRow[] {
  const kinds = new Map<string, { file: MediaFile; facts: PictureFacts | undefined }[]>();
  for (const [id, file] of [...Object.entries(pictures), ...Object.entries(originals)]) {
    // What is lossless or not compressed is decoded in one way only.
    if (file.choice === 'render cache' && !isMadeAlike(file.profile, INTRA_H264.profile)) continue;
    const facts = sources.find((source) => source.id === id)?.facts?.picture ?? undefined;
    const key = `${file.codec} ${file.profile}`;
    kinds.set(key, [...(kinds.get(key) ?? []), { file, facts }]);
  }
  return [...kinds]
    .sort(([a], [b]) => a.localeCompare(b))
    .map(([, files]) => {
      const { file, facts } = greatest(files, (each) => megapixels(each.file.size))!;
      const isMade = file.choice !== 'original';
      const picture = {
        ...(isMade || !facts ? { ...MADE_KIND, rate: file.rate } : facts),
        size: file.size,
      };
      const { codec, profile, chroma, bitDepth, size } = picture;
      const measured = DECODE_PATHS.flatMap((path) => {
        const ms = rig && pathFigures(rig, picture, path)?.msPerFrame?.value;
        return ms ? [[path, ms] as const] : [];
      });
      return {
        ...{ codec, profile, chroma, bitDepth, size, isMade, serverOnly: file.serverOnly },
        chosen: chosenPath(choices, picture) ?? 'automatic',
        automatic: rig ? (isMade ? madePath(rig, undefined) : automaticPath(rig, picture)) : undefined,
        lacking: DECODE_PATHS.filter((path) => rig && lacksPath(rig, picture, path)),
        measured: isMade ? {} : Object.fromEntries(measured),
      };
    });
}
