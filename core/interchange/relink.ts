import {
  compare,
  divide,
  parseTimecode,
  rational,
  subtract,
  timecodeFormatOf,
  ZERO,
  type Rational,
} from '../time/index.js';
import type { SourceFacts } from '../media/index.js';
import { settled, type Clip, type FrameSize, type NewId, type Timeline } from '../timeline/index.js';
import type { ImportedClip, ImportedTimeline, MediaReference } from './imported.js';
import { fingerprintNestedStacks } from './nested-stacks.js';

/** Properties of a source that relinking needs. */
export interface Relinkable {
  readonly id: string;
  readonly name: string;
  /** Folder and name. */
  readonly path: string;
  readonly lengthSeconds: Rational;
  /** Its own timecode at the first frame, in seconds. */
  readonly startSeconds: Rational;
  /** SHA-256 of its file; null while it is not known. */
  readonly contentHash?: string | null | undefined;
}

/** Properties of a source that relinking needs; a missing source has no length and no timecode. */
export const relinkable = ({
  id,
  name,
  folder,
  facts,
  contentHash,
}: {
  readonly id: string;
  readonly name: string;
  readonly folder: string;
  readonly facts: SourceFacts | null;
  readonly contentHash: string | null;
}): Relinkable => ({
  id,
  name,
  path: `${folder.replace(/\/$/, '')}/${name}`,
  lengthSeconds: facts?.duration ?? ZERO,
  startSeconds: timecodeStart(facts?.timecode ?? null, facts?.picture?.rate),
  contentHash,
});

/** The seconds at which a source's own timecode begins; zero when it has none that can be read. */
export function timecodeStart(timecode: string | null, rate: Rational | undefined): Rational {
  if (!timecode || !rate) return ZERO;
  try {
    const drops = timecode.includes(';');
    return divide(rational(parseTimecode(timecode, timecodeFormatOf(rate, drops))), rate);
  } catch {
    return ZERO;
  }
}

/**
 * The source of a media reference: by path, else by name, and among several of that name by timecode and length; else by
 * content.
 */
export function sourceFor(media: MediaReference, sources: readonly Relinkable[]): Relinkable | undefined {
  const target = pathOf(media.target);
  const same = target && sources.find(({ path }) => path === target);
  if (same) return same;
  const named = sources.filter(({ name }) => sameName(name, media.name));
  if (named.length === 0) {
    const { content } = media;
    return content && sources.find(({ contentHash }) => contentHash === content.sha256);
  }
  if (named.length === 1) return named[0];
  const fits = (source: Relinkable): number =>
    Number(media.startSeconds !== null && compare(source.startSeconds, media.startSeconds) === 0) +
    Number(media.lengthSeconds !== null && near(source.lengthSeconds, media.lengthSeconds));
  return [...named].sort((a, b) => fits(b) - fits(a))[0];
}

// Edit lists write names with and without the ending, and in capitals.
function sameName(a: string, b: string): boolean {
  const bare = (name: string): string => name.toLowerCase().replace(/\.[a-z0-9]{2,4}$/, '');
  return a.toLowerCase() === b.toLowerCase() || (b !== '' && bare(a) === bare(b));
}

const near = (a: Rational, b: Rational): boolean => Math.abs(a.num / a.den - b.num / b.den) < 0.1;

function pathOf(target: string): string {
  try {
    return decodeURIComponent(target.replace(/^file:\/\/(localhost)?/, ''));
  } catch {
    return target;
  }
}

/** Media of a timeline that no source was found for, each once. */
export function missingMedia(imported: ImportedTimeline, sources: readonly Relinkable[]): MediaReference[] {
  const missing = new Map<string, MediaReference>();
  for (const { media } of imported.tracks.flatMap(({ clips }) => clips))
    if (!sourceFor(media, sources)) missing.set(`${media.target} ${media.name}`, media);
  return [...missing.values()];
}

/**
 * Timeline of an imported file, with the sources that were found. Clips without a source are left out; `missingMedia`
 * lists them.
 */
export function relink(
  imported: ImportedTimeline,
  sources: readonly Relinkable[],
  size: FrameSize,
  newId: NewId,
): Timeline {
  const tracks = imported.tracks.map(({ kind, name, enabled, clips, transitions, foreign }) => ({
    id: newId(),
    kind,
    name: name.slice(0, 200),
    enabled,
    ...(foreign ? { foreign } : {}),
    clips: clips.flatMap((clip): Clip[] => {
      const source = sourceFor(clip.media, sources);
      return source ? [clipOf(clip, source, newId)] : [];
    }),
    transitions: transitions.map((each) => ({
      id: newId(),
      ...each,
      ...(each.kind === 'dip' ? { colour: each.colour ?? '#000000' } : {}),
    })),
  }));
  const markers = imported.markers.map((marker) => ({ id: newId(), ...marker }));
  const timeline = settled({
    rate: imported.rate,
    startFrame: imported.startFrame,
    ...(imported.dropFrame === undefined ? {} : { dropFrame: imported.dropFrame }),
    size: imported.size ?? size,
    tracks,
    markers,
    ...(imported.foreign ? { foreign: imported.foreign } : {}),
  });
  return fingerprintNestedStacks(timeline);
}

function clipOf(imported: ImportedClip, source: Relinkable, newId: NewId): Clip {
  const {
    name,
    foreign,
    effects,
    framing,
    fades,
    keepsPitch,
    start,
    length,
    sourceIn,
    speed,
    enabled,
    media,
  } = imported;
  // A file that does not say where the medium begins counts on the medium's own timecode.
  const counted = media.startSeconds === null && compare(sourceIn, source.startSeconds) >= 0;
  const within = counted ? subtract(sourceIn, source.startSeconds) : sourceIn;
  const retimed = speed.num === speed.den ? {} : { speed };
  return {
    id: newId(),
    name,
    sourceId: source.id,
    start,
    length,
    sourceIn: within,
    enabled,
    ...retimed,
    ...(effects ? { effects: effects.map((effect) => ({ ...effect, id: newId() })) } : {}),
    ...(framing ? { framing } : {}),
    ...(fades ? { fades } : {}),
    ...(keepsPitch ? { keepsPitch } : {}),
    ...(foreign ? { foreign } : {}),
  };
}
