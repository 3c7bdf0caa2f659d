import { computed, inject, Injectable, signal } from '@angular/core';
import { Store } from '@ngrx/store';
import { frameOf, type Axis } from '../drawing/axis';
import { selectLength } from '../state/selectors';

const FEWEST_FRAMES = 1;
/** Room for labels beside the axis, and behind it, CSS pixels. */
export const LABELS = 108;
const BEHIND = 8;

/** The part of the timeline that is in view; everything below the viewer is drawn on this axis. */
@Injectable({ providedIn: 'root' })
export class TimelineRange {
  private readonly length = inject(Store).selectSignal(selectLength);
  private readonly chosen = signal<{ from: number; to: number } | null>(null);

  /** Frames [from, to). */
  readonly view = computed(() => {
    const length = Math.max(FEWEST_FRAMES, this.length());
    const chosen = this.chosen();
    if (!chosen) return { from: 0, to: length };
    const span = Math.min(length, chosen.to - chosen.from);
    const from = Math.min(Math.max(0, chosen.from), length - span);
    return { from, to: from + span };
  });

  /** The axis on something of a width, CSS pixels. */
  axis(width: number): Axis {
    return { ...this.view(), left: LABELS, right: width - BEHIND };
  }

  /** Zooms or scrolls by a turn of the wheel over an axis. */
  wheel(event: WheelEvent, axis: Axis): void {
    event.preventDefault();
    if (event.ctrlKey || Math.abs(event.deltaY) > Math.abs(event.deltaX))
      this.zoom(event.deltaY > 0 ? 1.25 : 0.8, frameOf(axis, event.offsetX));
    else this.move(((axis.to - axis.from) * event.deltaX) / (axis.right - axis.left));
  }

  whole(): void {
    this.chosen.set(null);
  }

  /** @param factor below one comes closer @param around the frame that stays where it is */
  zoom(factor: number, around: number): void {
    const { from, to } = this.view();
    const span = Math.max(FEWEST_FRAMES, (to - from) * factor);
    const share = (around - from) / (to - from);
    const start = around - span * Math.min(1, Math.max(0, share));
    this.chosen.set(
      span >= Math.max(FEWEST_FRAMES, this.length()) ? null : { from: start, to: start + span },
    );
  }

  move(frames: number): void {
    const { from, to } = this.view();
    if (this.chosen()) this.chosen.set({ from: from + frames, to: to + frames });
  }
}
