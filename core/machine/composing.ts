import type { ComposeProcessor } from '../levers/index.js';
import type { Rig } from './rig.js';

type Known = Pick<Rig, 'graphics' | 'kernels' | 'shows'>;

/** The kernel that the rig measures for composing: two pictures that fill a frame. */
export const COMPOSE_TWO = 'compose two';

/** The preview that composing is measured at. */
export const COMPOSED_SIZE = { width: 960, height: 540 } as const;

/** What was shown by a processor; figures from before it could be chosen are the processor's. */
export const showsOn = <S extends Pick<Rig['shows'][number], 'on'>>(
  { shows }: { readonly shows: readonly S[] },
  processor: ComposeProcessor,
): S[] => shows.filter(({ on = 'processor' }) => on === processor);

/**
 * ms of composing a frame of two pictures of COMPOSED_SIZE on a processor and showing it.
 * @returns undefined where it was not measured
 */
export function composingMs(rig: Known, processor: ComposeProcessor): number | undefined {
  const compose = rig.kernels.find(({ kernel, on }) => kernel === COMPOSE_TWO && on === processor);
  const { width, height } = COMPOSED_SIZE;
  const show = showsOn(rig, processor).find((each) => each.width === width && each.height === height);
  if (!compose || !show) return undefined;
  return (compose.msPerMegapixel.value * width * height) / 1e6 + show.ms.value;
}

/** Whether a browser gives no graphics processor at all, in software either. */
export const lacksGraphics = ({ graphics }: Pick<Rig, 'graphics'>): boolean => graphics.renderer === 'none';

/**
 * What frames are composed on where nothing was chosen: the quicker one, as measured. A renderer in software takes its work
 * from the cores that decode, and is never taken.
 */
export function automaticComposing(rig: Known): ComposeProcessor {
  if (rig.graphics.software) return 'processor';
  const graphics = composingMs(rig, 'graphics processor');
  const processor = composingMs(rig, 'processor');
  const isQuicker = graphics !== undefined && processor !== undefined && graphics < processor;
  return isQuicker ? 'graphics processor' : 'processor';
}

/** What frames are composed on: the chosen one where the browser has it, or else the automatic one. */
export function composingOn(rig: Known, chosen: ComposeProcessor | undefined): ComposeProcessor {
  if (chosen === undefined) return automaticComposing(rig);
  return lacksGraphics(rig) ? 'processor' : chosen;
}
