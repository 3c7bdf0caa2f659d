import type { LightCopy, Source } from '@hone/core/api';
import { previewPixels, type Tuning } from '@hone/core/levers';
import { serverDecodeReason, shownSize, type PictureFacts, type SourceFacts } from '@hone/core/media';
import { largestRaster, previewGraph } from '@hone/core/render';
import type { Timeline } from '@hone/core/timeline';
import type { MediaFile, PreviewPlan } from './plan.js';

/** Addresses under which the server delivers media. */
const urlOf = (kind: 'sources' | 'copies', id: string): string => `/media/${kind}/${id}`;

/**
 * Puts together what a player needs from what the server tells.
 * @param sources those that are not ready are left out, and their clips show nothing
 */
export function planFor(
  timeline: Timeline,
  tuning: Tuning,
  sources: readonly Source[],
  copies: readonly LightCopy[],
): PreviewPlan {
  const known = new Map(sources.map((source) => [source.id, source]));
  const ready = new Map<string, LightCopy>();
  for (const source of sources) {
    const copy = bestCopy(source, timeline, tuning, copies);
    if (copy) ready.set(source.id, copy);
  }
  const preview = previewGraph(
    timeline,
    tuning,
    (id) => known.get(id)?.facts ?? undefined,
    (id) => ready.get(id)?.id,
  );
  const pictures: Record<string, MediaFile> = {};
  const missing: Record<string, string> = {};
  const sounds: Record<string, string> = {};
  for (const [id, choice] of Object.entries(preview.media)) {
    const source = known.get(id);
    if (!source?.facts) continue;
    const copy = choice.kind === 'light copy' ? ready.get(id) : undefined;
    if (source.facts.picture && (copy || source.state === 'ready')) {
      pictures[id] = copy ? copyFile(copy, source.facts.picture) : originalFile(source, source.facts);
    } else if (source.facts.picture) missing[id] = source.name;
    if (source.facts.sound && source.state === 'ready') {
      sounds[id] = source.sound?.decoded ? `/media/sounds/${id}` : urlOf('sources', id);
    }
  }
  return { preview, pictures, missing, sounds };
}

function originalFile({ id, stills }: Source, facts: SourceFacts): MediaFile {
  const picture = facts.picture!;
  return {
    framesUrl: `/media/frames/${id}`,
    serverOnly: serverDecodeReason(facts, stills),
    choice: 'original',
    url: urlOf('sources', id),
    size: picture.size,
    rate: picture.rate,
    constantRate: picture.constantRate,
    quarters: picture.rotation / 90,
    shownSize: shownSize(picture),
    frameCount: picture.frameCount,
  };
}

// A copy is upright and has square pixels, whatever its source has.
function copyFile(copy: LightCopy, picture: PictureFacts): MediaFile {
  return {
    choice: 'light copy',
    framesUrl: null,
    serverOnly: null,
    url: urlOf('copies', copy.id),
    size: { width: copy.width, height: copy.height },
    rate: picture.rate,
    constantRate: picture.constantRate,
    quarters: 0,
    shownSize: shownSize(picture),
    frameCount: picture.frameCount,
  };
}

// The smallest copy that has every pixel of the preview, or else the largest.
function bestCopy(
  source: Source,
  timeline: Timeline,
  tuning: Tuning,
  copies: readonly LightCopy[],
): LightCopy | undefined {
  if (!source.facts?.picture) return undefined;
  const wanted = largestRaster(
    timeline,
    source.id,
    source.facts,
    previewPixels(timeline.size, tuning, 'playing'),
  );
  const own = copies.filter((copy) => copy.sourceId === source.id && copy.state === 'ready');
  own.sort((a, b) => a.width - b.width);
  return own.find((copy) => copy.width >= wanted.width) ?? own.at(-1);
}
