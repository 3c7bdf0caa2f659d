import { poseOf, type EffectKind, type KnownEffect } from '@hone/core/render';
import type { EffectKernel } from '@hone/core/machine';
import type { FrameSize } from '@hone/core/timeline';
import { EffectFiles } from '../decode/effect-files.js';
import { effectBytes, PictureEffects } from '../decode/picture-effects.js';
import { SHAPE_BYTES, MasksAndTransforms } from '../shared/masks-transforms.js';
import type { Kernels } from '../shared/kernels.js';
import { aligned, planarBytes } from '../shared/picture.js';
import type { KernelTimes } from './times.js';

const effect = (kind: EffectKind, values: KnownEffect['values'] = {}): KnownEffect => ({
  id: kind,
  kind,
  enabled: true,
  values,
});

/** One effect for each function that changes pixels. */
export const PIXEL_EFFECTS: readonly (readonly [EffectKernel, KnownEffect])[] = [
  ['colour table', effect('exposure', { stops: 0.5 })],
  ['blur', effect('blur', { radius: 1 })],
  ['sharpen', effect('sharpen')],
  ['cover', effect('vignette')],
  ['grain', effect('grain')],
];

const SHAPE_EFFECTS: readonly (readonly [EffectKernel, KnownEffect])[] = [
  ['mask', effect('mask')],
  ['turn', effect('transform', { rotation: 10 })],
];

/** Room that `effectTimes` needs for a picture. */
export function effectRoom(size: FrameSize): number {
  const picture = aligned(planarBytes(size.width, size.height));
  return 6 * picture + SHAPE_BYTES + Math.max(...PIXEL_EFFECTS.map(([, each]) => effectBytes([each], size)));
}

/** Times of the player's effect functions on the picture at an address. */
export function effectTimes(
  kernels: Kernels,
  memory: WebAssembly.Memory,
  address: number,
  size: FrameSize,
  rounds: number,
): KernelTimes[] {
  const bytes = aligned(planarBytes(size.width, size.height));
  const room = address + 6 * bytes + SHAPE_BYTES;
  const effects = new PictureEffects(memory, kernels, new EffectFiles());
  effects.setRoom(room, effectRoom(size) - 6 * bytes - SHAPE_BYTES);
  const masks = new MasksAndTransforms(memory, kernels);
  const maskMemory = {
    warped: address + bytes,
    alphas: [address + 3 * bytes, address + 5 * bytes],
    product: 0,
    shapes: address + 6 * bytes,
  };
  const timed = (kernel: EffectKernel, once: () => void): KernelTimes => {
    const ms: number[] = [];
    // The first pass fills the caches.
    for (let round = -1; round < rounds; round++) {
      const start = performance.now();
      once();
      if (round >= 0) ms.push(performance.now() - start);
    }
    const megapixels = (size.width * size.height) / 1e6;
    return { stage: 'effects', kernel, megapixels, of: 'result', ms };
  };
  return [
    ...PIXEL_EFFECTS.map(([kernel, each]) => timed(kernel, () => effects.apply([each], 0, address, size))),
    ...SHAPE_EFFECTS.map(([kernel, each]) =>
      timed(kernel, () => {
        masks.forget();
        const pose = poseOf([each], size, size);
        masks.shape(
          { clipId: kernel, address, hasAlpha: false, pose, effects: [each], at: 0 },
          size,
          maskMemory,
        );
      }),
    ),
  ];
}
