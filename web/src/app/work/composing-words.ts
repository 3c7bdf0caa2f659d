import type { ComposeProcessor } from '@hone/core/levers';
import { automaticComposing, COMPOSED_SIZE, composingMs, lacksGraphics, type Rig } from '@hone/core/machine';
import { milliseconds, pixels } from '../formatting/quantities';
import { HARDWARE_HINT } from './decoding-words';

/**
 * What frames are composed on now, and what was measured.
 * @param rig of this machine; null before it was measured
 */
export function composingNote(rig: Rig | null, now: ComposeProcessor): string {
  const other: ComposeProcessor = now === 'processor' ? 'graphics processor' : 'processor';
  const [ms, otherMs] = [now, other].map((each) => rig && composingMs(rig, each));
  if (!ms) return `on the ${now}; not measured yet: measure this machine on the page Rig`;
  const beside = !otherMs ? '' : `; the ${other} takes ${milliseconds(otherMs)}`;
  return `on the ${now}, ${milliseconds(ms)} for two pictures of ${pixels(COMPOSED_SIZE)}${beside}`;
}

/** Why the graphics processor is not to be had or not taken, and what would change that; null where it is taken. */
export function noGraphicsNote(rig: Rig): string | null {
  if (lacksGraphics(rig)) return `No graphics processor: this browser gives none. ${HARDWARE_HINT}`;
  if (rig.graphics.software)
    return `This browser draws in software, on the same cores, which Automatic never takes. ${HARDWARE_HINT}`;
  if (composingMs(rig, 'graphics processor') === undefined)
    return 'The graphics processor was not measured for this. Measure this machine on the page Rig.';
  return automaticComposing(rig) === 'processor'
    ? 'Automatic leaves composing to the processor, which is quicker here.'
    : null;
}
