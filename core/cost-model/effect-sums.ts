import type { Bypassable } from '../levers/index.js';
import { isDoneInComposing, withoutKinds, stagesOf } from '../render/index.js';
import type { Work } from './build-workload.js';
import { effectCosts } from './picture-costs.js';
import { composingOn, type Rig } from '../machine/index.js';

/** Cost of one kind of effect. */
export interface EffectSum {
  readonly kind: Bypassable;
  /** Sum over all its pictures in some stretches, ms, and their number. */
  readonly ms: number;
  readonly pictures: number;
}

/**
 * What each kind of effects that are done while it plays takes in some stretches, the heaviest first.
 * @param spans none: everywhere
 */
export function effectSums(
  rig: Rig,
  { preview, media }: Work,
  spans: readonly { readonly from: number; readonly to: number }[],
): EffectSum[] {
  const sums = new Map<Bypassable, EffectSum>();
  const processor = composingOn(rig, preview.composeOn);
  const wanted = spans.length ? spans : [{ from: 0, to: preview.graph.length }];
  for (const { from, to, layers } of preview.played.stretches) {
    const frames = wanted.reduce(
      (sum, span) => sum + Math.max(0, Math.min(to, span.to) - Math.max(from, span.from)),
      0,
    );
    for (const { sourceId, effects, framing } of frames ? layers : []) {
      const medium = media.get(sourceId);
      if (!medium) continue;
      const played = withoutKinds(effects, preview.bypass);
      const stages = stagesOf(played, medium.shownSize, preview.playSize, framing);
      const isDoneLater = processor === 'graphics processor' && isDoneInComposing(played);
      const on = isDoneLater ? processor : 'processor';
      for (const { step, ms } of effectCosts(rig, stages, undefined, on))
        sums.set(step, added(sums.get(step) ?? { kind: step, ms: 0, pictures: 0 }, ms * frames, frames));
    }
  }
  return [...sums.values()].sort((a, b) => b.ms - a.ms);
}

const added = ({ kind, ms, pictures }: EffectSum, more: number, frames: number): EffectSum => ({
  kind,
  ms: ms + more,
  pictures: pictures + frames,
});
