import { multiply, rational, subtract, ZERO, type Rational } from '../time/index.js';
import type { ForeignMedia, TransitionKind } from '../timeline/index.js';
import type { Json, MediaReference } from './imported.js';
import type { JsonReader } from './json-reader.js';
import type { TrackItems } from './track-items.js';
import { contentOf, isOwnCopy, ownEffect, ownPart } from './otio-own.js';
import { decoded, foreignOf, rangeOf, schemaOf, type Notes, type Range } from './otio-values.js';
import { simplest } from './rates.js';

const NORMAL = rational(1);
const RETIMING = ['LinearTimeWarp', 'FreezeFrame'];
/** The key that a medium has in files of one medium a clip. */
export const DEFAULT_KEY = 'DEFAULT_MEDIA';

/** A clip of either version, and the piece of its medium that it shows, on the medium's own timecode. */
export function clipOf(
  item: JsonReader,
  notes: Notes,
): { readonly clip: TrackItems['clips'][number]['clip']; readonly range: Range } {
  const { media, kept } = mediaOf(item, notes);
  const said = item.at('source_range');
  if (said.isMissing && media.lengthSeconds === null)
    item.fail('it has neither a range nor a medium of known length.');
  const range = said.isMissing
    ? { start: media.startSeconds ?? ZERO, length: media.lengthSeconds! }
    : rangeOf(said);
  const name = (item.at('name').text('') || media.name || 'Clip').slice(0, 500);
  const sourceIn = subtract(range.start, media.startSeconds ?? ZERO);
  if (sourceIn.num < 0) notes.at(item, `"${name}" began before its medium; it begins with it now`);
  const effects = unknownEffects(item);
  const clip = {
    name,
    sourceIn: sourceIn.num < 0 ? ZERO : sourceIn,
    speed: speedOf(item, name, notes),
    enabled: item.at('enabled').flag(true),
    media: media.name ? media : { ...media, name },
    ...ownPart(item),
    ...foreignOf(item, { ...(effects.length ? { effects } : {}), ...(kept ? { media: kept } : {}) }),
  };
  return { clip, range };
}

/** `Clip.2` names several media and which is in use; `Clip.1` has one. */
function mediaOf(item: JsonReader, notes: Notes): { media: MediaReference; kept?: ForeignMedia | undefined } {
  const several = item.at('media_references');
  const said = item.at('active_media_reference_key').text(DEFAULT_KEY);
  // A light copy is read as its original.
  const key = !several.isMissing && isOwnCopy(several.at(said)) ? DEFAULT_KEY : said;
  const media = several.isMissing ? item.at('media_reference') : several.at(key);
  if (media.isMissing) return { media: { name: '', target: '', startSeconds: null, lengthSeconds: null } };
  const schema = schemaOf(media);
  const range = media.at('available_range');
  const { start, length } = range.isMissing ? { start: null, length: null } : rangeOf(range);
  const target = schema === 'ExternalReference' ? media.at('target_url').text('') : '';
  if (schema === 'ImageSequenceReference')
    notes.at(media, 'numbered still images are named only; add them by their first image');
  const base = decoded(target).split(/[\\/]/).at(-1) ?? '';
  const name = base || media.at('name').text('');
  return {
    media: { name, target, startSeconds: start, lengthSeconds: length, ...contentOf(media) },
    kept: keptMedia(several.isMissing ? { [DEFAULT_KEY]: media } : readersOf(several), key, name),
  };
}

const readersOf = (several: JsonReader): Record<string, JsonReader> =>
  Object.fromEntries(Object.keys(several.object()).map((key) => [key, several.at(key)]));

/** Foreign fields of a clip's media, beyond one medium with name and range; undefined without any. */
function keptMedia(readers: Record<string, JsonReader>, key: string, name: string): ForeignMedia | undefined {
  const foreign = Object.entries(readers).filter(([, reader]) => !reader.isMissing && !isOwnCopy(reader));
  const active = readers[key]!;
  const isPlain = !foreignOf(active).foreign && [name, ''].includes(active.at('name').text(''));
  if (isPlain && foreign.length === 1 && key === DEFAULT_KEY) return undefined;
  return { key, references: Object.fromEntries(foreign.map(([each, { value }]) => [each, value!])) };
}

function unknownEffects(item: JsonReader): Json[] {
  return item
    .at('effects')
    .list()
    .filter((effect) => !RETIMING.includes(schemaOf(effect)) && !ownEffect(effect))
    .map((effect) => effect.value!);
}

function speedOf(item: JsonReader, name: string, notes: Notes): Rational {
  let speed = NORMAL;
  for (const effect of item.at('effects').list()) {
    const schema = schemaOf(effect);
    if (schema === 'LinearTimeWarp')
      speed = multiply(speed, simplest(effect.at('time_scalar').number(1), 1e-6));
    else if (schema === 'FreezeFrame') notes.at(effect, `"${name}" stands still in the file; it moves here`);
    else if (!ownEffect(effect))
      notes.at(
        effect,
        `effect "${effect.at('effect_name').text(schema)}" of "${name}" is not known here; it is kept for other programs and not shown`,
      );
  }
  const size = Math.abs(speed.num / speed.den);
  if (size >= 0.01 && size <= 10) return speed;
  notes.at(item, `"${name}" has a speed outside 1 % to 1000 %; it plays at 100 %`);
  return NORMAL;
}

/** Kind of a transition by the type in the file; null for an unknown one. */
export function transitionKindOf(type: string): TransitionKind | null {
  const said = type.toLowerCase();
  if (said.includes('wipe')) return 'wipe';
  if (said.includes('dip')) return 'dip';
  return said.includes('dissolve') ? 'crossfade' : null;
}

/** A transition without its place. */
export function transitionOf(
  item: JsonReader,
  notes: Notes,
): Pick<TrackItems['transitions'][number], 'kind' | 'foreign'> {
  const type = item.at('transition_type').text('');
  const kind = transitionKindOf(type);
  if (kind === null) notes.at(item, `transition "${type || 'without a type'}" became a crossfade`);
  const name = item.at('name').text('');
  const isOwn = Object.values(TYPES).includes(type);
  const fields = { ...(name ? { name } : {}), ...(type && !isOwn ? { transition_type: type } : {}) };
  return {
    kind: kind ?? 'crossfade',
    ...foreignOf(item, Object.keys(fields).length ? { fields } : {}),
  };
}

/** Type that Hone writes for each kind of transition. */
export const TYPES: Readonly<Record<TransitionKind, string>> = {
  crossfade: 'SMPTE_Dissolve',
  dip: 'Custom_Dip',
  wipe: 'Custom_Wipe',
};
