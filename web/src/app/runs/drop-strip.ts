import { Component, computed, ElementRef, input, viewChild } from '@angular/core';
import { max } from 'd3-array';
import { scaleLinear } from 'd3-scale';
import { paletteOf, prepared } from '../drawing/axis';
import { redraw } from '../drawing/redraw';
import { count, perCent } from '../formatting/quantities';

/** Where a run dropped frames: a bar for each part of it, as high as the share that was dropped there. */
@Component({
  selector: 'hone-drop-strip',
  template: `<canvas #canvas role="img" [attr.aria-label]="text()" [title]="text()"></canvas>`,
  styles: `
    canvas {
      display: block;
      width: 132px;
      height: 20px;
    }
  `,
})
export class DropStrip {
  /** Share of the frames that each part dropped, 0 to 1, in order. */
  readonly shares = input.required<readonly number[]>();
  private readonly canvas = viewChild<ElementRef<HTMLCanvasElement>>('canvas');
  readonly text = computed(() => {
    const shares = this.shares();
    const most = max(shares) ?? 0;
    if (most === 0) return 'No frames were dropped.';
    const parts = shares.filter((share) => share > 0).length;
    const worst = shares.indexOf(most);
    return `Frames were dropped in ${count(parts, 'part', 'parts')} of ${shares.length}; most, ${perCent(most)}, ${perCent(worst / shares.length)} into the run.`;
  });

  constructor() {
    redraw(this.canvas, 'drop strip', (canvas) => {
      const { context, width, height } = prepared(canvas);
      const palette = paletteOf(canvas);
      const shares = this.shares();
      const x = scaleLinear([0, shares.length], [0, width]);
      const y = scaleLinear([0, 1], [0, height - 2]);
      context.fillStyle = palette.low;
      context.fillRect(0, 0, width, height);
      context.fillStyle = palette.ink;
      shares.forEach((share, part) => {
        if (share > 0) context.fillRect(x(part), height, Math.max(1, x(1) - 0.5), -Math.max(2, y(share)));
      });
      context.fillStyle = palette.quiet;
      context.fillRect(0, height - 1, width, 1);
    });
  }
}
