import { effectFault } from '../render/effects/values.js';
import { effectSchema, FRAMINGS, type Effect, type Fades, type Framing } from '../timeline/index.js';
import type { MediaContent } from './imported.js';
import type { JsonReader } from './json-reader.js';
import { schemaOf } from './otio-values.js';

/** Hone's own metadata of an object; undefined without any. */
function ownOf(item: JsonReader): JsonReader | undefined {
  const metadata = item.at('metadata');
  if (metadata.isMissing) return undefined;
  const own = metadata.at('hone');
  return own.isMissing ? undefined : own;
}

/** An effect that Hone wrote; undefined for any other, and for one that is damaged. */
export function ownEffect(item: JsonReader): Omit<Effect, 'id'> | undefined {
  const own = schemaOf(item) === 'Effect' ? ownOf(item) : undefined;
  if (!own) return undefined;
  const { kind, values, keyframes } = own.object() as Record<string, unknown>;
  const effect = { id: 'read', kind, values, enabled: item.at('enabled').flag(true) };
  const whole: unknown = keyframes === undefined ? effect : { ...effect, keyframes };
  if (!effectSchema.isValidSync(whole, { strict: true }) || effectFault(whole)) return undefined;
  const found = whole as Effect;
  return {
    kind: found.kind,
    enabled: found.enabled,
    values: found.values,
    ...(found.keyframes ? { keyframes: found.keyframes } : {}),
  };
}

/** What only Hone knows of a clip. */
export function ownPart(clip: JsonReader): {
  effects?: readonly Omit<Effect, 'id'>[];
  framing?: Framing;
  fades?: Fades;
  keepsPitch?: boolean;
} {
  const effects = clip
    .at('effects')
    .list()
    .flatMap((effect) => ownEffect(effect) ?? []);
  const own = ownOf(clip);
  const said = own?.at('framing').text('');
  const fades = own && !own.at('fades').isMissing ? fadesOf(own.at('fades')) : undefined;
  const framing = FRAMINGS.find((each) => each === said);
  return {
    ...(effects.length ? { effects } : {}),
    ...(framing && framing !== 'fit' ? { framing } : {}),
    ...(fades ? { fades } : {}),
    ...(own?.at('pitch').text('') === 'kept' ? { keepsPitch: true } : {}),
  };
}

function fadesOf(reader: JsonReader): Fades {
  const frames = (key: string): number => Math.max(0, Math.min(1e6, Math.round(reader.at(key).number(0))));
  return { in: frames('in'), out: frames('out') };
}

/** Identity of a file apart from its name. */
export function contentOf(media: JsonReader): { content?: MediaContent } {
  const own = ownOf(media);
  const sha256 = own?.at('sha256').text('') ?? '';
  const bytes = own?.at('bytes').number(0) ?? 0;
  return /^[0-9a-f]{64}$/.test(sha256) && Number.isSafeInteger(bytes) && bytes > 0
    ? { content: { sha256, bytes } }
    : {};
}

/** Whether a medium is a light copy that Hone had written beside its original. */
export const isOwnCopy = (media: JsonReader): boolean =>
  !media.isMissing && (ownOf(media)?.at('isLightCopy').flag(false) ?? false);

/** Colour of a dip. */
export function colourOf(transition: JsonReader): { colour?: string } {
  const colour = ownOf(transition)?.at('colour').text('');
  return colour && /^#[0-9a-f]{6}$/.test(colour) ? { colour } : {};
}
