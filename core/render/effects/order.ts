import type { EffectKind } from './catalogue.js';
import { isEffectKind } from './catalogue.js';

/**
 * When an effect is done, whatever the order in which effects were added: temporal noise reduction looks at the frames of
 * the file, what changes pixels follows in the order of the list, then masks cut the picture, and the transform puts it in
 * its place. So a title belongs to its clip's picture: it is cut and moved with it.
 */
export function effectPhase(kind: EffectKind): number {
  if (kind === 'denoise') return 0;
  if (kind === 'mask') return 2;
  return kind === 'transform' ? 3 : 1;
}

/** Effects in the order in which they are done; those of one phase stay as they are listed. */
export function inDoneOrder<Each extends { readonly kind: string }>(
  effects: readonly Each[],
): readonly Each[] {
  const phase = ({ kind }: Each): number => (isEffectKind(kind) ? effectPhase(kind) : 1);
  const isOrdered = effects.every((effect, at) => at === 0 || phase(effects[at - 1]!) <= phase(effect));
  // Sorting is stable (ECMAScript 2019).
  return isOrdered ? effects : [...effects].sort((a, b) => phase(a) - phase(b));
}
