import { scaleLinear } from 'd3-scale';

/** A horizontal axis of timeline frames. */
export interface Axis {
  readonly from: number;
  readonly to: number;
  readonly left: number;
  readonly right: number;
}

const scaleOf = ({ from, to, left, right }: Axis) => scaleLinear([from, to], [left, right]);

export const xOf = (axis: Axis, frame: number): number => scaleOf(axis)(frame);

export const frameOf = (axis: Axis, x: number): number => scaleOf(axis).invert(x);

/** A rectangle in CSS pixels. */
export interface Area {
  readonly top: number;
  readonly height: number;
}

/** The colours of the theme, read when something is drawn. */
export interface Palette {
  readonly ink: string;
  readonly quiet: string;
  readonly line: string;
  readonly low: string;
  readonly high: string;
  readonly surface: string;
  readonly accent: string;
  readonly chosen: string;
  stage(name: string): string;
}

export function paletteOf(element: Element): Palette {
  const probe = document.createElement('canvas').getContext('2d')!;
  const colour = (name: string): string => {
    // Only a resolved colour can be drawn with: variables may hold functions of the theme.
    const holder = element as HTMLElement;
    const before = holder.style.color;
    holder.style.color = `var(${name})`;
    probe.fillStyle = getComputedStyle(holder).color;
    holder.style.color = before;
    return probe.fillStyle;
  };
  return {
    ink: colour('--ink'),
    quiet: colour('--quiet'),
    line: colour('--line'),
    low: colour('--ground'),
    high: colour('--clip'),
    surface: colour('--mat-sys-surface'),
    accent: colour('--mat-sys-primary'),
    chosen: colour('--mat-sys-secondary-container'),
    stage: (name) => colour(`--stage-${name}`),
  };
}

/** Fits a canvas to its element at the screen's density and clears it. */
export function prepared(canvas: HTMLCanvasElement): {
  context: CanvasRenderingContext2D;
  width: number;
  height: number;
} {
  const { clientWidth: width, clientHeight: height } = canvas;
  const density = devicePixelRatio;
  const pixelWidth = Math.max(1, Math.round(width * density));
  const pixelHeight = Math.max(1, Math.round(height * density));
  if (canvas.width !== pixelWidth || canvas.height !== pixelHeight) {
    canvas.width = pixelWidth;
    canvas.height = pixelHeight;
  }
  const context = canvas.getContext('2d')!;
  context.setTransform(density, 0, 0, density, 0, 0);
  context.clearRect(0, 0, width, height);
  context.font = "12px 'Inter Variable', sans-serif";
  context.textBaseline = 'middle';
  return { context, width, height };
}
