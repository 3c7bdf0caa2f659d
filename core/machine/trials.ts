import { isMadeAlike, serverDecodeReason } from '../media/index.js';
import { isOfOnePath } from './decode-paths.js';
import { isRefusedByBrowser } from './refusals.js';
import type { DecodeFigures, Rig } from './rig.js';
import type { Sampled } from './samples.js';

/** Length of a decode trial, seconds. */
export const TRIAL_SECONDS = 0.4;

/** Largest ratio of pixels and bits at which a figure applies to another source. */
const NEAR = 1.25;
/** Figures that a rig holds; the oldest go first. */
const MOST_FIGURES = 300;

/**
 * Sources that a rig has no figures of a like one for, by the decoder that plays them.
 * @returns those that the browser may decode and was not asked for, and those that the server decodes
 */
export function untriedSources<S extends Sampled>(
  rig: Pick<Rig, 'decoders' | 'graphics'>,
  sources: readonly S[],
): { readonly browser: readonly S[]; readonly server: readonly S[] } {
  const playable = sources.filter(({ state, facts }) => state === 'ready' && facts?.picture);
  const isServed = ({ facts, stills }: S): boolean => serverDecodeReason(facts!, stills) !== null;
  return {
    browser: playable.filter((source) => !isServed(source) && !isTried(rig, source, 'browser')),
    server: playable.filter(
      (source) =>
        (isServed(source) || isRefusedByBrowser(rig, source.facts!.picture!)) &&
        !isTried(rig, source, 'server'),
    ),
  };
}

function isTried(
  { decoders }: Pick<Rig, 'decoders'>,
  { facts, structure }: Sampled,
  decoder: DecodeFigures['decoder'],
): boolean {
  const { codec, profile, chroma, bitDepth, size } = facts!.picture!;
  const isNear = (a: number, b: number): boolean =>
    Math.abs(Math.log(Math.max(1, a) / Math.max(1, b))) < Math.log(NEAR);
  const bits = structure?.bitsPerFrame ?? 0;
  return decoders.some(
    (each) =>
      each.decoder === decoder &&
      each.codec === codec &&
      isMadeAlike(each.profile, profile) &&
      each.chroma === chroma &&
      each.bitDepth === bitDepth &&
      !isOfOnePath(each) &&
      // What a browser does not decode in one size, it does not decode in others.
      (each.acceleration === 'none' ||
        (isNear(each.width * each.height, size.width * size.height) && isNear(each.bitsPerFrame, bits))),
  );
}

/** A rig that knows the figures of trials as well. */
export const withTrials = (rig: Rig, figures: readonly DecodeFigures[]): Rig => ({
  ...rig,
  decoders: [...rig.decoders, ...figures].slice(-MOST_FIGURES),
});
