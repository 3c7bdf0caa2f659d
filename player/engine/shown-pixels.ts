import { isTemporal, passKindOf, type Layer } from '@hone/core/render';
import type { FrameSize } from '@hone/core/timeline';
import type { PictureOrigin, ShownPixels } from '../shared/messages.js';
import type { PlanView } from './plan-view.js';
import type { ReadyPicture } from './stream-set.js';

type Kind = Layer['effects'][number]['kind'];

/** Origins of the pictures of some layers, each once. */
export function shownPixels(
  layers: readonly Layer[],
  plan: PlanView,
  ready: ReadonlyMap<string, ReadyPicture> | undefined,
  size: FrameSize,
): ShownPixels {
  const origins = layers.map((layer): PictureOrigin => ({
    choice: plan.fileOf(layer)?.choice ?? 'missing',
    decoder: ready?.get(layer.clipId)?.decoder ?? null,
  }));
  const isFirst = (origin: PictureOrigin, at: number): boolean =>
    at === origins.findIndex(({ choice, decoder }) => choice === origin.choice && decoder === origin.decoder);
  const leftOut = layers.flatMap(({ clipId, effects }) => {
    const done = ready?.get(clipId)?.effects ?? effects;
    const isBypassed = (kind: Kind): boolean =>
      passKindOf(kind) !== null && !done.some((each) => each.kind === kind);
    return effects.filter((each) => isTemporal(each) || isBypassed(each.kind)).map(({ kind }) => kind);
  });
  return { size, from: origins.filter(isFirst), leftOut: [...new Set(leftOut)] };
}
