import { afterNextRender, DestroyRef, inject, type ElementRef, type Signal } from '@angular/core';
import { xOf, type Axis } from '../drawing/axis';
import { Playback } from '../playback/playback';
import { followTicks } from './playhead-ticker';

/**
 * Keeps a thin element where the playhead is, so that nothing else has to be drawn anew. To be called
 * where things may be injected.
 * @returns puts it in its place again although the playhead has not moved, since its axis has changed
 */
export function followPlayhead(
  line: Signal<ElementRef<HTMLElement>>,
  axisOf: (width: number) => Axis,
): () => void {
  const playback = inject(Playback);
  const destroy = inject(DestroyRef);
  let drawn = -1;
  let placed = '';
  // Asking an element for its width lays the page out.
  let width = 0;
  const follow = (): void => {
    const { playhead } = playback;
    if (playhead === drawn) return;
    drawn = playhead;
    const axis = axisOf(width);
    const x = xOf(axis, playhead);
    const isSeen = x >= axis.left - 1 && x <= axis.right + 1;
    const place = isSeen ? `translateX(${Math.round(x)}px)` : '';
    if (place === placed) return;
    placed = place;
    const { style } = line().nativeElement;
    style.visibility = isSeen ? 'visible' : 'hidden';
    if (isSeen) style.transform = place;
  };
  followTicks(follow);
  afterNextRender(() => {
    const observer = new ResizeObserver(([entry]) => {
      width = entry!.contentRect.width;
      drawn = -1;
    });
    observer.observe(line().nativeElement.parentElement!);
    destroy.onDestroy(() => observer.disconnect());
  });
  return () => (drawn = -1);
}
