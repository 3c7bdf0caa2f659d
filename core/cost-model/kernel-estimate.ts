import { median } from 'd3-array';
import { type Rig, SIMULATED_RIGS } from '../machine/index.js';

/** A machine whose figures say how the player's functions compare. */
const REFERENCE = SIMULATED_RIGS[0]!;

/** Ratio of a rig's kernel times to the reference's; 1 where none was measured. */
function slownessOf({ kernels }: Pick<Rig, 'kernels'>): number {
  const ratios = kernels.flatMap(({ kernel, on, msPerMegapixel }) => {
    const known = REFERENCE.kernels.find((each) => each.kernel === kernel && each.on === on);
    return known ? [msPerMegapixel.value / known.msPerMegapixel.value] : [];
  });
  return median(ratios) ?? 1;
}

/** ms of one of the player's functions on a rig that was not measured for it: the reference's, times its slowness. */
export function estimateKernel(rig: Pick<Rig, 'kernels'>, kernel: string, megapixels: number): number {
  const known = REFERENCE.kernels.find((each) => each.kernel === kernel);
  // A kernel without a reference figure counts as heavy.
  const msPerMegapixel =
    known?.msPerMegapixel.value ?? Math.max(...REFERENCE.kernels.map(({ msPerMegapixel: ms }) => ms.value));
  return msPerMegapixel * megapixels * slownessOf(rig);
}

/** Share of the time for showing that remains with a graphics processor. */
const SHOWN_BY_GRAPHICS = 0.2;

/** ms of showing a picture on a rig that was not measured for it. */
export function estimateShow(rig: Pick<Rig, 'kernels' | 'graphics'>, megapixels: number): number {
  const { width, height, ms } = REFERENCE.shows.at(-1)!;
  const share = rig.graphics.software ? 1 : SHOWN_BY_GRAPHICS;
  return (share * slownessOf(rig) * ms.value * megapixels * 1e6) / (width * height);
}
