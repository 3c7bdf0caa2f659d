import { median } from 'd3-array';
/** A canvas in a corner of the page that really shows the measured pictures, with a caption. */
export function seenCanvas(): { readonly canvas: HTMLCanvasElement; readonly figure: HTMLElement } {
  const figure = document.createElement('figure');
  figure.className = 'rig-canvas';
  const canvas = document.createElement('canvas');
  canvas.setAttribute('aria-hidden', 'true');
  const caption = document.createElement('figcaption');
  caption.textContent = 'Noise, to measure what showing pictures takes. It goes in a moment.';
  figure.append(canvas, caption);
  document.body.append(figure);
  return { canvas, figure };
}

const DISPLAY_FRAMES = 40;

/** Refresh rate of the display, from the median time between animation frames; null when the page is hidden. */
export async function displayRate(): Promise<number | null> {
  if (document.hidden) return null;
  const stamps: number[] = [];
  await new Promise<void>((resolve) => {
    const giveUp = setTimeout(resolve, 2000);
    const take = (at: number): void => {
      stamps.push(at);
      if (stamps.length < DISPLAY_FRAMES) requestAnimationFrame(take);
      else {
        clearTimeout(giveUp);
        resolve();
      }
    };
    requestAnimationFrame(take);
  });
  const steps = stamps.slice(1).map((at, index) => at - stamps[index]!);
  const middle = median(steps);
  return middle ? Math.round(10_000 / middle) / 10 : null;
}
