import { afterNextRender, DestroyRef, inject, type ElementRef, type Signal } from '@angular/core';
import { xOf, type Axis } from '../drawing/axis';
import { Playback } from '../playback/playback';

/**
 * Keeps a thin element where the playhead is, on every frame, so that nothing else has to be drawn anew. To be called
 * where things may be injected.
 * @returns puts it in its place again although the playhead has not moved, since its axis has changed
 */
export function followPlayhead(line: Signal<ElementRef<HTMLElement>>, axisOf: () => Axis): () => void {
  const playback = inject(Playback);
  const destroy = inject(DestroyRef);
  let drawn = -1;
  const follow = (): void => {
    const { playhead } = playback;
    if (playhead === drawn) return;
    drawn = playhead;
    const axis = axisOf();
    const x = xOf(axis, playhead);
    const { style } = line().nativeElement;
    style.visibility = x >= axis.left - 1 && x <= axis.right + 1 ? 'visible' : 'hidden';
    style.transform = `translateX(${Math.round(x)}px)`;
  };
  afterNextRender(() => {
    let next = 0;
    const again = (): void => {
      follow();
      next = requestAnimationFrame(again);
    };
    again();
    destroy.onDestroy(() => cancelAnimationFrame(next));
  });
  return () => (drawn = -1);
}
