import type { Keyframe } from '../../timeline/index.js';
import type { Arithmetic, ShapeParts } from './geometry.js';
import { isKeyed, numberAt, type KnownEffect } from './values.js';

/** A number as ffmpeg's expressions take it, without exponents that could be read as something else. */
export const digits = (value: number): string => {
  const text = value.toFixed(8).replace(/\.?0+$/, '');
  return value < 0 ? `(${text})` : text;
};

/**
 * A row of keyframes as an expression of ffmpeg, by the rule of `valueAt`.
 * @param frame an expression for the frame of the clip
 */
export function rowExpression(row: readonly Keyframe[], frame: string): string {
  const piece = (index: number): string => {
    const before = row[index]!;
    const after = row[index + 1];
    if (!after || before.ease === 'hold') return digits(before.value);
    const share = `((${frame}-${digits(before.frame)})/${digits(after.frame - before.frame)})`;
    const eased = before.ease === 'smooth' ? `(${share}*${share}*(3-2*${share}))` : share;
    return `(${digits(before.value)}+${digits(after.value - before.value)}*${eased})`;
  };
  // A balanced tree: ffmpeg's parser takes no deeper nesting than a hundred levels (libavutil/eval.c).
  const within = (from: number, to: number): string => {
    if (to - from === 1) return from === 0 && row.length > 1 ? early(row[0]!, piece(0), frame) : piece(from);
    const half = (from + to) >> 1;
    return `if(lt(${frame},${digits(row[half]!.frame)}),${within(from, half)},${within(half, to)})`;
  };
  return within(0, row.length);
}

const early = (first: Keyframe, piece: string, frame: string): string =>
  `if(lt(${frame},${digits(first.frame)}),${digits(first.value)},${piece})`;

/** A parameter as an expression of ffmpeg: a number where it is constant. */
export function parameterExpression(effect: KnownEffect, name: string, frame: string): string {
  if (!isKeyed(effect, name)) return digits(numberAt(effect, name));
  return rowExpression(effect.keyframes![name]!, frame);
}

/** Arithmetic on expressions of a frame of the clip; constants are folded. */
export const expressionsOf = (frame: string): Arithmetic<string> => ({
  value: (effect, name) => parameterExpression(effect, name, frame),
  line: (value, by, plus = 0) =>
    known<[number]>([value], (x) => x * by + plus) ?? `(${value}*${digits(by)}+${digits(plus)})`,
  sum: (a, b) => known<[number, number]>([a, b], (x, y) => x + y) ?? `(${a}+${b})`,
  times: (a, b) => known<[number, number]>([a, b], (x, y) => x * y) ?? `(${a}*${b})`,
  over: (value, by) => known<[number]>([by], (x) => value / x) ?? `(${digits(value)}/${by})`,
  cos: (angle) => known<[number]>([angle], (x) => Math.cos(x)) ?? `cos(${angle})`,
  sin: (angle) => known<[number]>([angle], (x) => Math.sin(x)) ?? `sin(${angle})`,
  atLeast: (value, least) =>
    known<[number]>([value], (x) => Math.max(x, least)) ?? `max(${value},${digits(least)})`,
});

/** The result as a number, if all that goes into it are numbers. */
function known<N extends number[]>(
  values: { readonly [K in keyof N]: string },
  result: (...numbers: N) => number,
): string | undefined {
  if (!values.every((value) => /^-?[\d.]+$|^\(-[\d.]+\)$/.test(value))) return undefined;
  return digits(result(...(values.map((value) => Number(value.replace(/[()]/g, ''))) as N)));
}

/** `seenAtPoint` for one shape, as an expression of ffmpeg's filter geq over X and Y, 0 to 1. */
export function shapeExpression(shape: ShapeParts<string>): string {
  const [dx, dy] = [`(X+0.5-${shape.x})`, `(Y+0.5-${shape.y})`];
  const [cos, sin] = [`cos(${shape.angle})`, `sin(${shape.angle})`];
  const u = `(${dx}*${cos}+${dy}*${sin})`;
  const v = `(${dy}*${cos}-${dx}*${sin})`;
  const inside = shape.isEllipse
    ? `(1-hypot(${u}/${shape.halfWidth},${v}/${shape.halfHeight}))*min(${shape.halfWidth},${shape.halfHeight})`
    : `min(${shape.halfWidth}-abs(${u}),${shape.halfHeight}-abs(${v}))`;
  const share = `clip(0.5+${inside}/${shape.feather},0,1)`;
  const kept = shape.keepsInside ? `(1-${share})` : share;
  return `(1-${shape.strength}*${kept})`;
}
