import type { PictureStructure, SourceFacts, Stills } from '../media/index.js';

/** Properties of a source that decide whether a measurement uses it. */
export interface Sampled {
  readonly state: string;
  readonly facts: SourceFacts | null;
  readonly stills: Stills | null;
  readonly structure: PictureStructure | null;
}

/**
 * One source of each kind that decoders tell apart, the heaviest of its kind; the largest pictures first. Twice the bits
 * for a pixel are another kind, since they take longer to decode.
 */
export function decoderSamples<S extends Sampled>(sources: readonly S[]): S[] {
  const kinds = new Map<string, S>();
  const bits = ({ structure }: S): number => structure?.bitsPerFrame ?? 0;
  const area = ({ facts }: S): number => facts!.picture!.size.width * facts!.picture!.size.height;
  for (const source of sources) {
    const picture = source.facts?.picture;
    if (source.state !== 'ready' || !picture || source.stills) continue;
    const { codec, profile, pixelFormat, size } = picture;
    const density = Math.round(Math.log2(Math.max(1, bits(source)) / area(source)));
    const key = `${codec} ${profile} ${pixelFormat} ${size.width}x${size.height} ${density}`;
    const known = kinds.get(key);
    if (!known || bits(source) > bits(known)) kinds.set(key, source);
  }
  return [...kinds.values()].sort((a, b) => area(b) - area(a) || bits(b) - bits(a));
}
