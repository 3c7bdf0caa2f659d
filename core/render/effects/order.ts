import type { Effect } from '../../timeline/index.js';
import { isEffectKind, type EffectKind } from './catalogue.js';
import { passKindOf } from './pixel-passes.js';
import type { KnownEffect } from './values.js';

/** Place of a kind of effect within a stage: pixels, then masks, then the transform. */
const rankOf = (kind: EffectKind): number => {
  if (kind === 'mask') return 1;
  return kind === 'transform' ? 2 : 0;
};

/**
 * Whether an effect of pixels gives the same result before as after what stands in front of it in its stage. Colours are
 * changed point by point, so neither a mask nor a transform matters; a vignette, grain and sharpening leave alpha alone, so
 * a mask does not matter. A blur softens the edge of a mask, and a mask does not cut a title that comes behind it.
 */
function commutes(kind: EffectKind, rank: number): boolean {
  const step = passKindOf(kind);
  if (step === 'colour') return true;
  return rank === 1 && (step === 'vignette' || step === 'grain' || step === 'sharpen');
}

/**
 * Effects in the order in which they act: as listed, but for temporal noise reduction, which works on the frames of the
 * file and so comes first.
 */
export function executionOrder<Each extends { readonly kind: string }>(
  effects: readonly Each[],
): readonly Each[] {
  const isFirst = ({ kind }: Each): boolean => kind === 'denoise';
  const isOrdered = effects.every((each, at) => !isFirst(each) || at === 0 || isFirst(effects[at - 1]!));
  return isOrdered ? effects : [...effects.filter(isFirst), ...effects.filter((each) => !isFirst(each))];
}

/**
 * Splits effects into stages. In a stage, effects of pixels come first, in the order of the list, then masks cut the
 * picture, and then the transform puts it in its place. What a stage gives out is the picture of the next one.
 * @returns one stage or more; all but the first hold an effect
 */
export function splitStages(effects: readonly KnownEffect[]): readonly (readonly KnownEffect[])[] {
  const stages: KnownEffect[][] = [[]];
  let rank = 0;
  for (const effect of effects) {
    const own = rankOf(effect.kind);
    if (own < rank && !commutes(effect.kind, rank)) {
      stages.push([]);
      rank = 0;
    }
    stages.at(-1)!.push(effect);
    rank = Math.max(rank, own);
  }
  return stages;
}

/**
 * Where a new effect of a kind goes in a list: in front of masks and the transform if it changes pixels, and in front of
 * the transform if it is a mask, so that it needs no stage of its own.
 * @returns index into the list, 0 to its length
 */
export function usualPlace(effects: readonly Pick<Effect, 'kind'>[], kind: EffectKind): number {
  const rank = rankOf(kind);
  const later = effects.findIndex((each) => isEffectKind(each.kind) && rankOf(each.kind) > rank);
  return later < 0 ? effects.length : later;
}

/** The effects that are done, in their order: those that are known and enabled. */
export const effectsDone = (effects: readonly Effect[] = []): readonly KnownEffect[] =>
  executionOrder(
    effects.filter((effect): effect is KnownEffect => effect.enabled && isEffectKind(effect.kind)),
  );
