import { effect, signal, type ElementRef, type Signal } from '@angular/core';

/**
 * Draws again whenever a signal that `draw` reads, the size of the canvas or the colour scheme changes.
 * To be called where effects may be made.
 * @param name under which the browser's own tools list what drawing took
 */
export function redraw(
  canvas: Signal<ElementRef<HTMLCanvasElement> | undefined>,
  name: string,
  draw: (canvas: HTMLCanvasElement) => void,
): void {
  const changed = signal(0);
  effect((onCleanup) => {
    const element = canvas()?.nativeElement;
    if (!element) return;
    const again = (): void => changed.update((count) => count + 1);
    const size = new ResizeObserver(again);
    size.observe(element);
    const scheme = new MutationObserver(again);
    scheme.observe(document.documentElement, { attributeFilter: ['class'] });
    onCleanup(() => {
      size.disconnect();
      scheme.disconnect();
    });
  });
  effect(() => {
    changed();
    const element = canvas()?.nativeElement;
    if (!element) return;
    const start = performance.now();
    draw(element);
    performance.measure(`draw ${name}`, { start });
  });
}
