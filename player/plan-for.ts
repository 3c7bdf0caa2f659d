import type { LightCopy, Source } from '@hone/core/api';
import { cachedSourceId, withCached, type CachedStretch } from '@hone/core/cache';
import { type ComposeProcessor, type Tuning, chosenPath } from '@hone/core/levers';
import { type ChosenDecoder, type ChosenDecoders } from '@hone/core/machine';
import {
  cacheFormat,
  codedSize,
  INTRA_H264,
  serverDecodeReason,
  shownSize,
  type PictureFacts,
  type SourceFacts,
} from '@hone/core/media';
import { chosenCopies, factsIn, previewGraph } from '@hone/core/render';
import type { Timeline } from '@hone/core/timeline';
import type { MediaFile, PreviewPlan } from './plan.js';

/** Addresses under which the server delivers media. */
const urlOf = (kind: 'sources' | 'copies' | 'stretches' | 'stretch-frames', id: string): string =>
  `/media/${kind}/${id}`;

/**
 * Puts together what a player needs from what the server tells.
 * @param sources those that are not ready are left out, and their clips show nothing
 * @param decoders absent ones are left to the browser
 * @param stretches frames rendered in advance, of any timeline
 */
export function planFor(
  timeline: Timeline,
  tuning: Tuning,
  sources: readonly Source[],
  copies: readonly LightCopy[],
  decoders: ChosenDecoders = { sources: {} },
  stretches: readonly CachedStretch[] = [],
  composeOn: ComposeProcessor = 'processor',
): PreviewPlan {
  const known = new Map(sources.map((source) => [source.id, source]));
  const ready = chosenCopies(timeline, tuning, sources, copies);
  const live = previewGraph(timeline, tuning, factsIn(sources), (id) => ready.get(id)?.id);
  const preview = withCached(live, tuning, sources, stretches);
  const made = { ...MADE, path: decoders.made ?? chosenPath(tuning.decodePaths, INTRA_H264) ?? null };
  const pictures: Record<string, MediaFile> = {};
  const originals: Record<string, MediaFile> = {};
  const missing: Record<string, string> = {};
  const sounds: Record<string, string> = {};
  for (const [id, choice] of Object.entries(preview.media)) {
    const source = known.get(id);
    if (!source?.facts) continue;
    const copy = choice.kind === 'light copy' ? ready.get(id) : undefined;
    if (source.facts.picture) {
      const original =
        source.state === 'ready' ? originalFile(source, source.facts, decoders.sources[id]) : undefined;
      const played = copy ? copyFile(copy, source.facts.picture, made) : original;
      if (played) pictures[id] = played;
      else missing[id] = source.name;
      if (copy && original) originals[id] = original;
    }
    if (source.facts.sound && source.state === 'ready') {
      sounds[id] = source.sound?.decoded ? `/media/sounds/${id}` : urlOf('sources', id);
    }
  }
  for (const stretch of stretches)
    if (preview.cached.some(({ stretchId }) => stretchId === stretch.id))
      pictures[cachedSourceId(stretch.id)] = stretchFile(stretch, made);
  return { preview, pictures, originals, missing, sounds, composeOn };
}

function originalFile(
  { id, stamp, stills }: Source,
  facts: SourceFacts,
  decoder: ChosenDecoder | undefined,
): MediaFile {
  const picture = facts.picture!;
  return {
    framesUrl: `/media/frames/${id}`,
    serverOnly:
      serverDecodeReason(facts, stills) ??
      (decoder === 'server' ? `this browser does not decode ${picture.codec}` : null),
    hasAlpha: picture.alpha,
    stacked: null,
    premultiplied: picture.alpha && picture.premultiplied === true,
    choice: 'original',
    url: urlOf('sources', id),
    stamp,
    codec: picture.codec,
    profile: picture.profile,
    path: decoder === undefined || decoder === 'server' ? null : decoder,
    size: picture.size,
    rate: picture.rate,
    constantRate: picture.constantRate,
    quarters: picture.rotation / 90,
    shownSize: shownSize(picture),
    pixels:
      picture.rotation % 180 ? { width: picture.size.height, height: picture.size.width } : picture.size,
    frameCount: picture.frameCount,
  };
}

/** What Hone makes to be played: every browser decodes it, upright and without alpha. */
const MADE = {
  ...INTRA_H264,
  framesUrl: null,
  serverOnly: null,
  hasAlpha: false,
  stacked: null,
  premultiplied: false,
  quarters: 0,
} as const;

type Made = typeof MADE & Pick<MediaFile, 'path'>;

// A copy is upright and has square pixels, whatever its source has.
function copyFile(copy: LightCopy, picture: PictureFacts, made: Made): MediaFile {
  return {
    choice: 'light copy',
    ...made,
    ...(copy.alphaRow === null
      ? {}
      : { hasAlpha: true, stacked: { width: copy.width, height: copy.height, alphaRow: copy.alphaRow } }),
    url: urlOf('copies', copy.id),
    stamp: copy.id,
    size: codedSize(copy),
    rate: picture.rate,
    constantRate: picture.constantRate,
    shownSize: shownSize(picture),
    pixels: { width: copy.width, height: copy.height },
    frameCount: picture.frameCount,
  };
}

function stretchFile({ id, size, rate, frameCount, format }: CachedStretch, made: Made): MediaFile {
  const { codec, profile, label, isForBrowser, isLossless } = cacheFormat(format ?? '');
  return {
    choice: 'render cache',
    ...made,
    ...{ codec, profile },
    // Decoders of graphics processors lack what lossless pictures need.
    path: isLossless ? null : made.path,
    framesUrl: urlOf('stretch-frames', id),
    serverOnly: isForBrowser ? null : label,
    url: urlOf('stretches', id),
    stamp: id,
    ...{ size, shownSize: size, pixels: size },
    ...{ rate, constantRate: true, frameCount },
  };
}
