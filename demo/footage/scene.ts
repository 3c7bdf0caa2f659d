import type { SKRSContext2D } from '@napi-rs/canvas';

/** Scenes are drawn on a canvas of this size and enlarged to the size of their footage. */
export const STAGE = { width: 1920, height: 1080 } as const;

/** Draws one moment of a scene. Nothing is kept between moments, so that any frame can be drawn on its own. */
export type Scene = (context: SKRSContext2D, seconds: number) => void;

/** A scene as a camera held upright sees it: a part of it, lying on its side. */
export const sideways =
  (scene: Scene): Scene =>
  (context, seconds) => {
    const { width, height } = STAGE;
    const scale = width / height;
    context.save();
    context.translate(0, height);
    context.rotate(-Math.PI / 2);
    context.translate((height - scale * width) / 2, 0);
    context.scale(scale, scale);
    scene(context, seconds);
    context.restore();
  };

/** A vertical gradient over the whole stage. */
export function gradient(
  context: SKRSContext2D,
  top: number,
  bottom: number,
  stops: readonly string[],
): void {
  const fill = context.createLinearGradient(0, top, 0, bottom);
  stops.forEach((colour, index) => fill.addColorStop(index / (stops.length - 1), colour));
  context.fillStyle = fill;
  context.fillRect(0, top, STAGE.width, bottom - top);
}

/** Ripples on water: short strokes that drift and grow towards the viewer. */
export function ripples(
  context: SKRSContext2D,
  seconds: number,
  {
    top,
    bottom,
    count,
    colour,
    drift,
  }: { top: number; bottom: number; count: number; colour: string; drift: number },
): void {
  context.strokeStyle = colour;
  for (let index = 0; index < count; index++) {
    const depth = ((index * 0.618_034) % 1) ** 1.6;
    const y = top + depth * (bottom - top) + Math.sin(seconds * 1.7 + index) * 3 * (0.4 + depth);
    const length = 30 + 150 * depth;
    const span = STAGE.width + 2 * length;
    const x = ((((index * 379.7 + seconds * drift * (0.3 + depth)) % span) + span) % span) - length;
    context.globalAlpha = 0.16 + 0.3 * depth * (0.6 + 0.4 * Math.sin(seconds * 2.3 + index * 1.9));
    context.lineWidth = 1.5 + 4 * depth;
    context.beginPath();
    context.moveTo(x, y);
    context.quadraticCurveTo(x + length / 2, y - 5 - 8 * depth, x + length, y);
    context.stroke();
  }
  context.globalAlpha = 1;
}

/** A water wheel with rim, spokes and paddles. */
export function wheel(
  context: SKRSContext2D,
  {
    x,
    y,
    radius,
    angle,
    paddles,
    wood,
    dark,
  }: { x: number; y: number; radius: number; angle: number; paddles: number; wood: string; dark: string },
): void {
  context.save();
  context.translate(x, y);
  context.rotate(angle);
  context.strokeStyle = dark;
  for (let index = 0; index < paddles; index++) {
    const turn = (2 * Math.PI * index) / paddles;
    context.lineWidth = radius * 0.028;
    context.beginPath();
    context.moveTo(0, 0);
    context.lineTo(Math.cos(turn) * radius, Math.sin(turn) * radius);
    context.stroke();
    context.save();
    context.rotate(turn);
    context.fillStyle = index % 2 ? wood : dark;
    context.fillRect(radius * 0.86, -radius * 0.035, radius * 0.24, radius * 0.07);
    context.restore();
  }
  for (const [size, width] of [
    [1, 0.07],
    [0.78, 0.035],
    [0.2, 0.12],
  ] as const) {
    context.strokeStyle = wood;
    context.lineWidth = radius * width;
    context.beginPath();
    context.arc(0, 0, radius * size, 0, 2 * Math.PI);
    context.stroke();
  }
  context.restore();
}
