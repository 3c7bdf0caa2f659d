import {
  frameBudgetMs,
  STAGES,
  waitingPictures,
  type LineDrive,
  type LinePassage,
  type PlaybackLine,
  type Stage,
} from '../playback/index.js';
import {
  fillsFrame,
  isOpaque,
  passagesOf,
  pixelSteps,
  poseOf,
  shapesMove,
  type Layer,
  type Passage,
  type PixelStep,
  type Posed,
  type PreviewGraph,
} from '../render/index.js';
import { toNumber } from '../time/index.js';
import type { FrameSize } from '../timeline/index.js';
import { factorOf, NOTHING_LEARNED, type Calibration } from './calibration.js';
import { decodeMs, kernelMs, scaleKernel, showMs } from './cost-model.js';
import type { EffectKernel } from './effect-kernels.js';
import type { PlayedMedium } from './medium.js';
import type { MemoryShares } from './memory.js';
import type { Rig } from './rig.js';

/** What a machine is asked to play. */
export interface Work {
  readonly preview: PreviewGraph;
  /** What is decoded of each source; sources without one are not played. */
  readonly media: ReadonlyMap<string, PlayedMedium>;
  readonly shares: MemoryShares;
  /** A simulated drive that everything is read through; null for the drives of the rig. */
  readonly drive: LineDrive | null;
}

/** Cores that one decoder in software takes where it was not measured: most of its work waits for the picture before. */
const USUAL_DECODE_CORES = 1.6;
/** Cores that decoding in hardware keeps busy. */
const HARDWARE_CORES = 0.15;
/** From the request for a clip until its decoder can be fed, and from the press of play until it asks, ms. */
const OPEN_MS = 12;
const START_MS = 25;
/** A server that is asked to begin elsewhere starts ffmpeg anew. */
const SERVER_OPEN_MS = 180;
const SERVER_ENTRY_SECONDS = 1;
/** What the browser takes to bring a picture to the screen, for what the player takes to hand it over. */
const PRESENT_SHARE = 0.6;

/** ms of decoding a picture on a rig, of scaling it, and so on: what the figures of a rig say of a medium. */
export interface PictureCosts {
  readonly decodeMs: number;
  readonly decodeCores: number;
  readonly scaleMs: number;
  readonly effectsMs: number;
}

/**
 * Lays out what the player does for a stretch of a timeline on a rig, ms by ms. What a rig was not measured for costs
 * nothing, and is named.
 * @param from first timeline frame @param to behind the last
 */
export function lineOf(
  { preview, media, shares, drive }: Work,
  rig: Rig,
  from = 0,
  to = preview.graph.length,
  calibration: Calibration = NOTHING_LEARNED,
): PlaybackLine & { readonly unmeasured: readonly string[] } {
  const unmeasured = new Set<string>();
  const { graph, playSize } = preview;
  const fps = toNumber(graph.rate);
  const drives: LineDrive[] = drive ? [drive] : rig.drives.map(driveOf);
  const driveAt = (name: string): number => {
    const at = drive ? 0 : drives.findIndex((each) => each.name === name);
    return at < 0 ? (drives.length ? 0 : -1) : at;
  };
  const passages = passagesOf(graph).flatMap((passage): LinePassage[] => {
    const medium = media.get(passage.sourceId);
    if (!medium || passage.to <= from || passage.from >= to) return [];
    const costs = pictureCosts(rig, medium, passage, playSize, unmeasured);
    if (driveAt(medium.drive) < 0) unmeasured.add('reading');
    return [
      {
        clipId: passage.clipId,
        sourceId: passage.sourceId,
        from: passage.from,
        to: passage.to,
        ...picturesFor(passage, medium, fps),
        decodeMs: costs.decodeMs,
        decodeCores: costs.decodeCores,
        bytesPerPicture: medium.bitsPerFrame / 8,
        drive: driveAt(medium.drive),
        scaleMs: costs.scaleMs,
        effectsMs: costs.effectsMs,
      },
    ];
  });
  const composeMs = new Float32Array(to - from);
  for (const { from: first, to: end, layers } of graph.stretches) {
    const ms = composeMsOf(rig, layers, media, playSize, unmeasured);
    composeMs.fill(ms, Math.max(0, first - from), Math.max(0, end - from));
  }
  const shown = showMs(rig, megapixelsOf(playSize)) ?? missing(unmeasured, 'showing');
  const isServed = [...media.values()].some(({ decoder }) => decoder === 'server');
  const plain: PlaybackLine = {
    rate: graph.rate,
    from,
    to,
    passages,
    composeMs,
    showMs: shown,
    presentMs: shown * PRESENT_SHARE,
    cores: rig.machine.cores,
    coresOfOthers: rig.machine.loadByOthers * rig.machine.cores,
    decodeWorkers: shares.decodeWorkers,
    slots: slotsOf(preview, media, shares.framePoolBytes),
    drives,
    readAheadBytes: shares.readAheadBytes,
    openMs: isServed ? SERVER_OPEN_MS : OPEN_MS,
    startMs: START_MS,
  };
  return { ...corrected(plain, calibration), unmeasured: [...unmeasured] };
}

/** A line with each cost as runs have shown it to be. */
export function corrected(line: PlaybackLine, calibration: Calibration): PlaybackLine {
  if (calibration === NOTHING_LEARNED) return line;
  const [read, decode, scale, effects, compose, show] = STAGES.map((stage) =>
    factorOf(calibration, stage),
  ) as [...[number, number, number, number, number, number]];
  return {
    ...line,
    passages: line.passages.map((passage) => ({
      ...passage,
      decodeMs: passage.decodeMs * decode,
      scaleMs: passage.scaleMs * scale,
      effectsMs: passage.effectsMs * effects,
    })),
    composeMs: line.composeMs.map((ms) => ms * compose),
    showMs: line.showMs * show,
    presentMs: line.presentMs * show,
    drives: line.drives.map((drive) => ({ ...drive, bytesPerSecond: drive.bytesPerSecond / read })),
  };
}

const megapixelsOf = ({ width, height }: FrameSize): number => (width * height) / 1e6;

function missing(unmeasured: Set<string>, what: string): number {
  unmeasured.add(what);
  return 0;
}

/** A drive of a rig as readers meet it; what several readers lose together is laid on going elsewhere. */
function driveOf({
  drive,
  readBytesPerSecond,
  readManyBytesPerSecond,
  randomReadMs,
}: Rig['drives'][number]): LineDrive {
  const alone = readBytesPerSecond?.value ?? Infinity;
  const many = Math.min(alone, readManyBytesPerSecond?.value ?? alone);
  const turn = 512 * 1024;
  const seekMs = Number.isFinite(alone) ? 1000 * turn * (1 / many - 1 / alone) : 0;
  return { name: drive, bytesPerSecond: alone, latencyMs: randomReadMs?.value ?? 0, seekMs };
}

/** What one picture of a medium costs, when it is made for a place in the frame. */
export function pictureCosts(
  rig: Rig,
  medium: PlayedMedium,
  posed: Posed,
  frame: FrameSize,
  unmeasured = new Set<string>(),
): PictureCosts {
  const { raster } = poseOf(posed.effects, medium.shownSize, frame, posed.framing);
  const load = { ...medium, megapixels: megapixelsOf(medium.size), megabits: medium.bitsPerFrame / 1e6 };
  const name = `decoding ${medium.codec}${medium.bitDepth > 8 ? ` of ${medium.bitDepth} bits` : ''}`;
  const decode = decodeMs(rig, load) ?? missing(unmeasured, name);
  const kernel = scalingOf(medium, raster);
  // The server hands over pictures of the size that is wanted.
  const scaledPixels = medium.decoder === 'server' ? megapixelsOf(raster) : load.megapixels;
  const scale = kernelMs(rig, kernel, scaledPixels) ?? missing(unmeasured, 'scaling');
  const turning = medium.turned ? (kernelMs(rig, 'copy', megapixelsOf(raster)) ?? 0) : 0;
  const effects = pixelSteps(posed.effects, raster).reduce((sum, step) => {
    const ms = kernelMs(rig, kernelOfStep(step), megapixelsOf(raster));
    return sum + (ms ?? missing(unmeasured, `the effect ${step.kind}`));
  }, 0);
  return {
    decodeMs: decode,
    decodeCores: decodeCores(rig, medium),
    scaleMs: scale + turning,
    effectsMs: effects,
  };
}

function scalingOf({ size, decoder, turned }: PlayedMedium, raster: FrameSize): string {
  if (decoder === 'server') return scaleKernel(1);
  const upright = turned ? { width: raster.height, height: raster.width } : raster;
  const ratio = size.width / upright.width;
  const isWhole = Number.isInteger(ratio) && size.height === ratio * upright.height;
  return isWhole && [1, 2, 4, 8, 16].includes(ratio) ? scaleKernel(ratio) : 'resample';
}

const KERNEL_OF_STEP: Readonly<Record<PixelStep['kind'], EffectKernel>> = {
  colour: 'colour table',
  blur: 'blur',
  sharpen: 'sharpen',
  vignette: 'cover',
  title: 'cover',
  grain: 'grain',
};

const kernelOfStep = ({ kind }: PixelStep): EffectKernel => KERNEL_OF_STEP[kind];

/** Cores that one decoder keeps busy: what it does alone against what all cores do when several decode at once. */
export function decodeCores(rig: Rig, { codec, bitDepth, decoder, size, profile }: PlayedMedium): number {
  const { cores } = rig.machine;
  if (decoder === 'server') return cores;
  const same = rig.decoders.filter(
    (each) =>
      each.decoder === decoder && each.codec === codec && each.bitDepth === bitDepth && each.msPerFrame,
  );
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

function composeMsOf(
  rig: Rig,
  layers: readonly Layer[],
  media: ReadonlyMap<string, PlayedMedium>,
  frame: FrameSize,
  unmeasured: Set<string>,
): number {
  const pixels = megapixelsOf(frame);
  const two = (): number => kernelMs(rig, 'compose two', pixels) ?? missing(unmeasured, 'composing');
  const of = (kernel: EffectKernel): number =>
    kernelMs(rig, kernel, pixels) ?? missing(unmeasured, `the effect ${kernel}`);
  const seen = layers.filter(({ sourceId }) => media.has(sourceId));
  const [only] = seen;
  if (seen.length === 1 && isOpaque(only!.effects)) {
    const { placement } = poseOf(only!.effects, media.get(only!.sourceId)!.shownSize, frame, only!.framing);
    const isWhole = placement && placement.width === frame.width && placement.height === frame.height;
    if (isWhole && fillsFrame(placement, frame)) return 0;
  }
  return seen.reduce((sum, { effects, framing, sourceId }) => {
    // A shape that stays as it is, is drawn once and kept.
    const shape = effects.some(({ kind }) => kind === 'mask') && shapesMove(effects) ? of('mask') : 0;
    const isTurned = poseOf(effects, media.get(sourceId)!.shownSize, frame, framing).placement === null;
    return sum + two() / 2 + shape + (isTurned ? of('turn') : 0);
  }, 0);
}

type Pictures = Pick<LinePassage, 'decodes' | 'coldDecodes' | 'entries'>;

/** What was reckoned for a way of entering a file is the same for as long as the clip stands as it does. */
const reckoned = new WeakMap<PlayedMedium['groups'], Map<string, Pictures>>();

function picturesFor(passage: Passage, medium: PlayedMedium, fps: number): Pictures {
  const { from, to, clipStart, sourceIn, speed } = passage;
  const { framesPerSecond, constantRate, frameCount, decoder, groups } = medium;
  const key = JSON.stringify([
    ...[from, to, clipStart, sourceIn, speed, fps],
    ...[framesPerSecond, constantRate, frameCount, decoder],
  ]);
  const known = reckoned.get(groups) ?? new Map<string, Pictures>();
  reckoned.set(groups, known);
  const pictures = known.get(key) ?? picturesOf(passage, medium, fps);
  known.set(key, pictures);
  return pictures;
}

function picturesOf(
  { from, to, clipStart, sourceIn, speed }: Passage,
  { framesPerSecond, constantRate, frameCount, groups, decoder }: PlayedMedium,
  fps: number,
): Pictures {
  const count = to - from;
  const decodes = new Uint16Array(count);
  const coldDecodes = new Uint16Array(count);
  const into = toNumber(sourceIn);
  const pace = toNumber(speed);
  const last = Math.max(0, frameCount - 1);
  const frameAt = (frame: number): number => {
    const seconds = into + ((frame - clipStart) * pace) / fps;
    return Math.min(last, Math.max(0, Math.floor(seconds * framesPerSecond + 0.5 + 1e-6)));
  };
  // Without a constant rate the picture is known to be the right one only by the one after it.
  const more = constantRate ? 0 : 1;
  let before = -1;
  for (let at = 0; at < count; at++) {
    const index = frameAt(from + at);
    const distance = decoder === 'server' ? 1 : groups.distance(index);
    const cold = Math.min(65_535, distance + more);
    coldDecodes[at] = cold;
    decodes[at] = at === 0 ? cold : Math.min(65_535, Math.abs(index - before));
    before = index;
  }
  if (pace < 0) {
    backwards(decodes, coldDecodes);
    return { decodes, coldDecodes, entries: Int32Array.from({ length: count }, (_, at) => from + at) };
  }
  if (decoder === 'server') {
    const step = Math.max(1, Math.round((SERVER_ENTRY_SECONDS * fps) / pace));
    return {
      decodes,
      coldDecodes,
      entries: Int32Array.from({ length: Math.ceil(count / step) }, (_, at) => from + at * step),
    };
  }
  const entries = groups
    .entries(frameAt(from), frameAt(to - 1) + 1)
    .map((index) => clipStart + Math.ceil(((index / framesPerSecond - into) * fps) / pace - 1e-6))
    .filter((frame, at, all) => frame >= from && frame < to && frame !== all[at - 1]);
  return { decodes, coldDecodes, entries: Int32Array.from(entries) };
}

/** Frames that are decoded in one go when it is played backwards, each from the key frame before it. */
const TURNED = 12;

function backwards(decodes: Uint16Array, cold: Uint16Array): void {
  for (let first = 0; first < decodes.length; first += TURNED) {
    const end = Math.min(decodes.length, first + TURNED);
    decodes[first] = cold[first] ?? 1;
    for (let at = first + 1; at < end; at++) decodes[at] = Math.min(1, decodes[at]!);
  }
}

function slotsOf(
  { graph, playSize }: PreviewGraph,
  media: ReadonlyMap<string, PlayedMedium>,
  poolBytes: number,
): number {
  const bytes = ({ width, height }: FrameSize): number => width * height * 1.5;
  const layers = Math.max(1, ...graph.stretches.map((stretch) => stretch.layers.length));
  const rasters = graph.stretches.flatMap((stretch) =>
    stretch.layers.flatMap(({ sourceId, effects, framing }) => {
      const medium = media.get(sourceId);
      return medium ? [bytes(poseOf(effects, medium.shownSize, playSize, framing).raster)] : [];
    }),
  );
  const largest = rasters.reduce((most, each) => Math.max(most, each), bytes(playSize));
  return layers * waitingPictures(largest, bytes(playSize), layers, poolBytes);
}

/** The part of the frame budget that a stage takes in each frame when nothing else holds it up, ms for each frame. */
export function stageMsOf(line: PlaybackLine, stage: Stage): Float32Array {
  const frames = line.to - line.from;
  if (stage === 'compose') return line.composeMs;
  const ms = new Float32Array(frames);
  if (stage === 'show') return ms.fill(line.showMs);
  for (const passage of line.passages) {
    const drive = line.drives[passage.drive];
    const readMs = drive ? (1000 * passage.bytesPerPicture) / drive.bytesPerSecond : 0;
    for (let frame = Math.max(line.from, passage.from); frame < Math.min(line.to, passage.to); frame++) {
      const pictures = passage.decodes[frame - passage.from]!;
      const made = pictures > 0 ? 1 : 0;
      const each =
        stage === 'read'
          ? pictures * readMs
          : stage === 'decode'
            ? pictures * passage.decodeMs
            : made * (stage === 'scale' ? passage.scaleMs : passage.effectsMs);
      ms[frame - line.from]! += each;
    }
  }
  return ms;
}

/** Per cent of the frame budget. */
export const percentOfBudget = (ms: number, rate: PlaybackLine['rate']): number =>
  (100 * ms) / frameBudgetMs(rate);
