import { least } from 'd3-array';
import type { Bypassable, ComposeProcessor } from '../levers/index.js';
import { megapixels } from '../media/index.js';
import {
  fillsFrame,
  isDoneInComposing,
  isOpaque,
  pixelPasses,
  stagesOf,
  shapesMove,
  withoutKinds,
  type Layer,
  type PixelPass,
  type Stage,
  type Posed,
} from '../render/index.js';
import type { FrameSize } from '../timeline/index.js';
import {
  COMPOSE_TWO,
  USUAL_BIT_SHARE,
  stepKernel,
  type EffectKernel,
  type DecodeFigures,
  type Figure,
  type Rig,
} from '../machine/index.js';
import { decodeMs, kernelMs, RESAMPLE, resampleMs, scaleKernel } from './cost-model.js';
import { byPath } from './decode-estimate.js';
import { estimateKernel } from './kernel-estimate.js';
import { codingOf, type PlayedMedium } from './medium.js';

/** Cores that one decoder in software takes where it was not measured: most of its work waits for the picture before. */
const USUAL_DECODE_CORES = 1.6;
/** Cores that decoding in hardware keeps busy. */
const HARDWARE_CORES = 0.15;

/** The server starts ffmpeg anew, ms; where that was not measured. */
const USUAL_SERVER_START_MS = 180;

/** Pictures by which the first one is delayed where it was not measured: of long groups, and of intra-coded media. */
const USUAL_FIRST = 4;
const USUAL_INTRA_FIRST = 1;

/** ms of decoding a picture of a medium on a rig, however it is shown. */
interface DecodingCosts {
  readonly coding: string;
  readonly decodeMs: number;
  /** Standard deviation of its natural logarithm; 0 where it was measured. */
  readonly decodeSpread: number;
  readonly decodeCores: number;
  /** Share of it that goes with a picture's bits. */
  readonly bitShare: number;
  /** Additional time of the first picture after the decoder was opened, ms. */
  readonly firstMs: number;
  /** Additional time of the first picture after the decoder moved, ms. */
  readonly restartMs: number;
}

/** How frames are composed. */
export interface Composing {
  readonly composeOn: ComposeProcessor;
  /** Kinds of effects that are left out. */
  readonly bypass: readonly Bypassable[];
}

/** ms that the figures of a rig say of a picture that is made for a place in the frame. */
export interface PictureCosts {
  readonly decoding: DecodingCosts;
  readonly scaleMs: number;
  readonly effectsMs: number;
  /** The size in which it is made. */
  readonly raster: FrameSize;
}

/** Notes that a rig was not measured for something, which is estimated. */
export function estimated(unmeasured: Set<string>, what: string, ms: number): number {
  unmeasured.add(what);
  return ms;
}

/** ms of one of the player's functions, as measured or as estimated. */
function kernelCost(
  rig: Rig,
  kernel: string,
  pixels: number,
  unmeasured: Set<string>,
  what = `the effect ${kernel}`,
): number {
  return kernelMs(rig, kernel, pixels) ?? estimated(unmeasured, what, estimateKernel(rig, kernel, pixels));
}

/**
 * Costs of one picture of a medium at a position in a frame, ms by stage. Equal clips share one computation.
 */
export function pictureCosts(
  rig: Rig,
  frame: FrameSize,
  unmeasured = new Set<string>(),
  processor: ComposeProcessor = 'processor',
): (medium: PlayedMedium, posed: Posed) => PictureCosts {
  const known = new Map<PlayedMedium, { decoding: DecodingCosts; scales: Map<number, number> }>();
  return (medium, posed) => {
    const stages = stagesOf(posed.effects, medium.shownSize, frame, posed.framing);
    const { raster } = stages[0].pose;
    const of = known.get(medium) ?? {
      decoding: decodingCosts(rig, medium, unmeasured),
      scales: new Map<number, number>(),
    };
    known.set(medium, of);
    const size = raster.width * 0x10000 + raster.height;
    const scaleMs = of.scales.get(size) ?? scaleCost(rig, medium, raster, unmeasured);
    of.scales.set(size, scaleMs);
    const isDoneLater = processor === 'graphics processor' && isDoneInComposing(posed.effects);
    const steps = isDoneLater ? [] : effectCosts(rig, stages, unmeasured);
    const effectsMs = steps.reduce((sum, { ms }) => sum + ms, 0) + betweenMs(rig, stages, frame, unmeasured);
    return { decoding: of.decoding, scaleMs, effectsMs, raster };
  };
}

/** An estimate with less spread than this is not called one. */
const SURE = 0.2;

const decodingName = ({ codec, bitDepth }: PlayedMedium): string =>
  `decoding ${codec}${bitDepth > 8 ? ` of ${bitDepth} bits` : ''}`;

function decodingCosts(rig: Rig, medium: PlayedMedium, unmeasured: Set<string>): DecodingCosts {
  const load = { ...medium, megapixels: megapixels(medium.size), megabits: medium.bitsPerFrame / 1e6 };
  const { ms: decode, spread } = decodeMs(rig, load);
  if (spread > SURE) unmeasured.add(decodingName(medium));
  return {
    coding: codingOf(medium),
    decodeMs: decode,
    decodeSpread: spread,
    decodeCores: decodeCores(rig, medium),
    bitShare: likeBy(rig, medium, ({ bitShare }) => bitShare !== undefined)?.bitShare ?? USUAL_BIT_SHARE,
    ...delays(rig, medium, decode),
  };
}

function scaleCost(rig: Rig, medium: PlayedMedium, raster: FrameSize, unmeasured: Set<string>): number {
  const kernel = scalingOf(medium, raster);
  const isServed = medium.decoder === 'server' && !isEnlarged(medium, raster);
  const pixels = isServed ? megapixels(raster) : megapixels(medium.size);
  const resampled = kernel === RESAMPLE ? resampleMs(rig, pixels, megapixels(raster)) : undefined;
  const scale = resampled ?? kernelCost(rig, kernel, pixels, unmeasured, 'scaling');
  return scale + (medium.turned ? (kernelMs(rig, 'copy', megapixels(raster)) ?? 0) : 0);
}

/** Cost of each pass of a picture's effects, ms, in order. @param processor that does them */
export function effectCosts(
  rig: Rig,
  stages: readonly Stage[],
  unmeasured = new Set<string>(),
  processor: ComposeProcessor = 'processor',
): { readonly step: PixelPass['kind']; readonly ms: number }[] {
  const cost = (step: PixelPass['kind'], pixels: number): number => {
    const [kernel, what] = [stepKernel(step), `the effect ${step}`];
    if (processor === 'processor') return kernelCost(rig, kernel, pixels, unmeasured, what);
    const measured = kernelMs(rig, kernel, pixels, processor);
    return measured ?? estimated(unmeasured, what, graphicsRatio(rig) * estimateKernel(rig, kernel, pixels));
  };
  return stages.flatMap(({ effects, pose: { raster } }) =>
    pixelPasses(effects, raster).map(({ kind: step }) => ({ step, ms: cost(step, megapixels(raster)) })),
  );
}

/** What composing takes on the graphics processor for one ms of the processor. */
const graphicsRatio = (rig: Rig): number =>
  (kernelMs(rig, COMPOSE_TWO, 1, 'graphics processor') ?? 1) / (kernelMs(rig, COMPOSE_TWO, 1) ?? 1);

/** Time to put a picture in its frame between two stages, ms. */
function betweenMs(rig: Rig, stages: readonly Stage[], frame: FrameSize, unmeasured: Set<string>): number {
  const of = (kernel: EffectKernel): number => kernelCost(rig, kernel, megapixels(frame), unmeasured);
  return stages.slice(0, -1).reduce((sum, { effects, pose }) => {
    const mask = effects.some(({ kind }) => kind === 'mask') && shapesMove(effects) ? of('mask') : 0;
    const place = pose.placement ? (kernelMs(rig, 'copy', megapixels(frame)) ?? 0) : of('turn');
    return sum + mask + place;
  }, 0);
}

/**
 * The decode figures of a rig that are nearest to a medium, among those with a known value: of its codec, then by pixels
 * and bits.
 */
function likeBy(
  { decoders }: Rig,
  { decoder, path, codec, size, bitsPerFrame }: PlayedMedium,
  isKnown: (figures: DecodeFigures) => boolean,
): DecodeFigures | undefined {
  const apart = (a: number, b: number): number => Math.abs(Math.log(Math.max(1, a) / Math.max(1, b)));
  const distance = (each: DecodeFigures): number =>
    apart(each.width * each.height, size.width * size.height) +
    apart(each.bitsPerFrame, bitsPerFrame) / 2 +
    (each.codec === codec ? 0 : 10);
  const known = decoders.filter((each) => each.decoder === decoder && isKnown(each));
  return least(byPath(known, path), distance);
}

const startedLike = (rig: Rig, medium: PlayedMedium): DecodeFigures | undefined =>
  likeBy(rig, medium, ({ startMs }) => startMs !== undefined);

const serverStartMs = (rig: Rig, medium: PlayedMedium): number =>
  startedLike(rig, medium)?.startMs?.value ?? USUAL_SERVER_START_MS;

// A decoder gives out its first picture when its threads are filled and what comes before it in time is there; and when
// it is called away, only after what it has begun.
function delays(
  rig: Rig,
  medium: PlayedMedium,
  decodeMs: number,
): Pick<DecodingCosts, 'firstMs' | 'restartMs'> {
  // For each place in the file the server starts ffmpeg anew, which is work for the cores and not only a wait.
  if (medium.decoder === 'server') {
    const startMs = serverStartMs(rig, medium);
    return { firstMs: startMs, restartMs: startMs };
  }
  const isIntra = medium.groups.distance(1) === 1;
  const usual = isIntra ? USUAL_INTRA_FIRST : USUAL_FIRST;
  const like = isIntra ? undefined : startedLike(rig, medium);
  const pictures = (figure: Figure | undefined): number | undefined =>
    like?.msPerFrame && figure ? figure.value / like.msPerFrame.value - 1 : undefined;
  const first = pictures(like?.startMs) ?? usual;
  const restart = pictures(like?.restartMs) ?? first;
  return { firstMs: Math.max(0, first) * decodeMs, restartMs: Math.max(0, restart) * decodeMs };
}

const isEnlarged = ({ shownSize }: PlayedMedium, raster: FrameSize): boolean =>
  megapixels(raster) > megapixels(shownSize);

function scalingOf(medium: PlayedMedium, raster: FrameSize): string {
  const { decoder, turned, colourSize: size = medium.size } = medium;
  // The server gives out no more pixels than the source has.
  if (decoder === 'server' && !isEnlarged(medium, raster)) return scaleKernel(1);
  const upright = turned ? { width: raster.height, height: raster.width } : raster;
  const ratio = size.width / upright.width;
  const isWhole = Number.isInteger(ratio) && size.height === ratio * upright.height;
  return isWhole && [1, 2, 4, 8, 16].includes(ratio) ? scaleKernel(ratio) : RESAMPLE;
}

/** Cores that one decoder keeps busy: what it does alone against what all cores do when several decode at once. */
function decodeCores(rig: Rig, { codec, bitDepth, decoder, path, size, profile }: PlayedMedium): number {
  const { cores } = rig.machine;
  if (decoder === 'server') return cores;
  const all = rig.decoders.filter(
    (each) =>
      each.decoder === decoder && each.codec === codec && each.bitDepth === bitDepth && each.msPerFrame,
  );
  const same = byPath(all, path);
  if (same.some(({ acceleration }) => acceleration === 'hardware')) return HARDWARE_CORES;
  const pixels = size.width * size.height;
  const near = (each: Rig['decoders'][number]): number =>
    Math.abs(Math.log((each.width * each.height) / pixels));
  const [measured] = same.filter(({ together }) => together.length).sort((a, b) => near(a) - near(b));
  // Pictures that stand alone are decoded side by side.
  if (profile === 'intra') return cores;
  if (!measured) return Math.min(cores, USUAL_DECODE_CORES);
  const most = Math.max(...measured.together.map(({ framesPerSecond }) => framesPerSecond));
  const alone = 1000 / measured.msPerFrame!.value;
  return Math.max(1, Math.min(cores, (cores * alone) / Math.max(alone, most)));
}

/** Cost of composing a frame of layers, ms; one picture that fills its frame is not composed. */
export function composeMsOf(
  rig: Rig,
  layers: readonly Layer[],
  media: ReadonlyMap<string, PlayedMedium>,
  frame: FrameSize,
  unmeasured: Set<string>,
  { composeOn: processor, bypass }: Composing,
): number {
  const pixels = megapixels(frame);
  const two = (): number => kernelCost(rig, COMPOSE_TWO, pixels, unmeasured, 'composing');
  const of = (kernel: EffectKernel): number => kernelCost(rig, kernel, pixels, unmeasured);
  const seen = layers.filter(({ sourceId }) => media.has(sourceId));
  if (processor === 'graphics processor') {
    // Every picture is uploaded and drawn, and turning one costs no more.
    const measured = kernelMs(rig, COMPOSE_TWO, pixels, processor);
    const uploaded = (measured ?? estimated(unmeasured, 'composing', two())) / 2;
    return seen.reduce((sum, { effects, framing, sourceId }) => {
      const played = withoutKinds(effects, bypass);
      if (!isDoneInComposing(played)) return sum + uploaded;
      const stages = stagesOf(played, media.get(sourceId)!.shownSize, frame, framing);
      const passes = effectCosts(rig, stages, unmeasured, processor);
      return passes.reduce((ms, pass) => ms + pass.ms, sum + uploaded);
    }, 0);
  }
  const [only] = seen;
  if (seen.length === 1 && isOpaque(only!.effects)) {
    const stages = stagesOf(only!.effects, media.get(only!.sourceId)!.shownSize, frame, only!.framing);
    const { placement } = stages[0].pose;
    const isWhole =
      stages.length === 1 &&
      placement &&
      placement.width === frame.width &&
      placement.height === frame.height;
    if (isWhole && fillsFrame(placement, frame)) return 0;
  }
  return seen.reduce((sum, layer) => {
    const { shownSize } = media.get(layer.sourceId)!;
    const { effects, pose } = stagesOf(layer.effects, shownSize, frame, layer.framing).at(-1)!;
    // A shape that stays as it is, is drawn once and kept.
    const shape = effects.some(({ kind }) => kind === 'mask') && shapesMove(effects) ? of('mask') : 0;
    return sum + two() / 2 + shape + (pose.placement ? 0 : of('turn'));
  }, 0);
}
