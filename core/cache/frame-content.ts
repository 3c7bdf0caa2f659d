import {
  layerTime,
  stretchesIn,
  type KnownEffect,
  type Layer,
  type RenderGraph,
  type Stretch,
} from '../render/index.js';
import { add, compare, divide, multiply, rational, subtract, type Rational } from '../time/index.js';
import { laterStart, type FrameRange } from '../timeline/index.js';

/**
 * Content of consecutive frames that show the same layers. Two frames with equal `kind` and equal counters show the same
 * picture, wherever and on whatever timeline they are.
 */
export interface ContentRun {
  /** Layers with sources, effects and transitions, apart from time. */
  readonly kind: string;
  /** Time-dependent values of the first frame: source seconds of layers, and frames since keyframes and transitions began. */
  readonly counters: readonly Rational[];
  /** Change of each counter from one frame to the next. */
  readonly steps: readonly Rational[];
  /** Number of frames. */
  readonly count: number;
}

/** Identity of a source's content; undefined where it is not known. */
export type StampOf = (sourceId: string) => string | undefined;

/**
 * Content of a range of a graph, run by run.
 * @returns undefined where a source has no known content
 */
export function contentOf(
  graph: RenderGraph,
  { from, to }: FrameRange,
  stampOf: StampOf,
): readonly ContentRun[] | undefined {
  const runs = stretchesIn(graph, { from, to }).map((stretch) => runOf(graph, stretch, stampOf));
  return runs.every((run) => run !== undefined) ? runs : undefined;
}

/** Content of one stretch; undefined where a source has no known content. */
export function runOf(
  { rate, size }: Pick<RenderGraph, 'rate' | 'size'>,
  { from, to, layers }: Stretch,
  stampOf: StampOf,
): ContentRun | undefined {
  const parts = layers.map((layer) => partOf(layer, from, rate, stampOf(layer.sourceId)));
  if (!parts.every((part) => part !== undefined)) return undefined;
  return {
    kind: JSON.stringify([rate, size, ...parts.map(({ kind }) => kind)]),
    counters: parts.flatMap(({ counters }) => counters.map(({ value }) => value)),
    steps: parts.flatMap(({ counters }) => counters.map(({ step }) => step)),
    count: to - from,
  };
}

interface Counter {
  readonly value: Rational;
  readonly step: Rational;
}

const EACH_FRAME = rational(1);

function partOf(
  layer: Layer,
  from: number,
  rate: Rational,
  stamp: string | undefined,
): { readonly kind: unknown; readonly counters: readonly Counter[] } | undefined {
  if (stamp === undefined) return undefined;
  const { speed, effects, framing, mix } = layer;
  // Keyframes count from the clip's first frame, which trimming moves: counted from the first keyframe, they stay.
  const animated = effects.filter(isAnimated);
  const isByClip = animated.length === 0 || animated.some(({ kind }) => kind === 'grain');
  const origin = isByClip ? 0 : firstKeyframe(animated);
  const seen = laterStart(effects, origin).map(({ kind, values, keyframes }) => ({
    kind,
    values,
    keyframes,
  }));
  const counters: Counter[] = [
    { value: layerTime(layer, from, rate), step: divide(speed, rate) },
    ...(animated.length ? [{ value: rational(from - layer.clipStart - origin), step: EACH_FRAME }] : []),
    ...(mix ? [{ value: rational(from - mix.from), step: EACH_FRAME }] : []),
  ];
  const mixed = mix && { kind: mix.kind, length: mix.to - mix.from, colour: mix.colour };
  return { kind: { stamp, speed, seen, framing, mixed }, counters };
}

/** Whether the result of an effect depends on the frame of the clip. */
const isAnimated = ({ kind, keyframes }: KnownEffect): boolean =>
  kind === 'grain' || Object.keys(keyframes ?? {}).length > 0;

const firstKeyframe = (effects: readonly KnownEffect[]): number =>
  effects
    .flatMap(({ keyframes }) => Object.values(keyframes ?? {}).flat())
    .reduce((first, { frame }) => Math.min(first, frame), Infinity);

/**
 * Number of frames from the first of a run to that with the content of the first frame of another run.
 * @returns a whole number, below zero where it is before the run; undefined where no frame has it
 */
export function offsetIn(run: ContentRun, other: Pick<ContentRun, 'kind' | 'counters'>): number | undefined {
  const [start, step, wanted] = [run.counters[0], run.steps[0], other.counters[0]];
  if (run.kind !== other.kind || !start || !step || !wanted) return undefined;
  const { num, den } = divide(subtract(wanted, start), step);
  if (den !== 1) return undefined;
  const isSame = run.counters.every((counter, at) => {
    const there = add(counter, multiply(run.steps[at]!, rational(num)));
    return compare(there, other.counters[at]!) === 0;
  });
  return isSame ? num : undefined;
}
