import { isTemporal, passKindOf, type Layer } from '@hone/core/render';
import type { FrameSize } from '@hone/core/timeline';
import { isUncompressed } from '../plan.js';
import type { PictureOrigin, ShownPixels } from '../shared/messages.js';
import type { PlanView } from './plan-view.js';
import type { ReadyPicture } from './ready-picture.js';

type Kind = Layer['effects'][number]['kind'];

/** Origins of the pictures of some layers, each once. */
export function shownPixels(
  layers: readonly Layer[],
  plan: PlanView,
  ready: ReadonlyMap<string, ReadyPicture> | undefined,
  size: FrameSize,
): Omit<ShownPixels, 'composedOn'> {
  const origins = layers.map((layer): PictureOrigin => {
    const picture = ready?.get(layer.clipId);
    const file = picture?.file ?? plan.fileOf(layer);
    return {
      choice: file?.choice ?? 'missing',
      pixels: file?.pixels ?? null,
      decoder: file && isUncompressed(file) ? null : (picture?.decoder ?? null),
    };
  });
  const isSame = (a: PictureOrigin, b: PictureOrigin): boolean =>
    a.choice === b.choice &&
    a.decoder === b.decoder &&
    a.pixels?.width === b.pixels?.width &&
    a.pixels?.height === b.pixels?.height;
  const isFirst = (origin: PictureOrigin, at: number): boolean =>
    at === origins.findIndex((other) => isSame(other, origin));
  const leftOut = layers.flatMap(({ clipId, effects }) => {
    const done = ready?.get(clipId)?.effects ?? effects;
    const isBypassed = (kind: Kind): boolean =>
      passKindOf(kind) !== null && !done.some((each) => each.kind === kind);
    return effects.filter((each) => isTemporal(each) || isBypassed(each.kind)).map(({ kind }) => kind);
  });
  return { size, from: origins.filter(isFirst), leftOut: [...new Set(leftOut)] };
}
