import type { SourceFacts } from '../../media/index.js';
import { formatRational, toNumber, type Rational } from '../../time/index.js';
import type { FrameSize } from '../../timeline/index.js';
import { COLOUR_TAGS, temporalFilters, type EffectAssets } from '../effects/index.js';
import { conformFilters } from './conform-filters.js';
import { frameTimebase } from './frame-timebase.js';
import { layerTime, type FactsOf, type RenderGraph, type Stretch } from './graph.js';
import { layerFilters } from './layering.js';
import { sizedLayer, type Scaling } from './sized-layer.js';

/** A graph and the size of the frames that it is rendered in. */
export interface RenderedGraph {
  readonly graph: RenderGraph;
  readonly size: FrameSize;
  readonly scaling: Scaling;
}

/** ffmpeg's arguments for a render, without the program. */
export interface RenderCommand {
  /**
   * Renders of parts of the picture, in order: each writes raw frames, to an output that is still to be added. The encoder
   * reads them all from its standard input. Empty where the encoder renders everything itself.
   */
  readonly renders: readonly (readonly string[])[];
  /** Of the encoder, without the file that is written. */
  readonly args: readonly string[];
  /** The filter graphs, as passed in the arguments. */
  readonly filters: string;
  /** Drawings (SVG) that have to be written first, each to its file. */
  readonly drawings: readonly string[];
}

/** Files that a render reads: originals, and files of effects. */
export interface RenderAssets extends Omit<EffectAssets, 'drawing'> {
  /** The arguments with which ffmpeg opens the original of a source, the last being its path. */
  inputOf(sourceId: string): readonly string[];
  /** Facts of the original files. */
  readonly factsOf: FactsOf;
  /** Path of the drawing of a number. */
  drawingFile(number: number): string;
}

/** Seconds that are decoded before an in point, so that the frame before it is known. */
const LEAD_SECONDS = 2;
/**
 * Most originals that one program opens for the picture. Each opened decoder keeps its pictures until the program ends: of
 * 3840 × 2160, about 100 MB.
 */
const MOST_OPENED = 16;

/** Format of the picture between its last filter and the encoder. */
const RAW_FORMAT = 'yuv420p';

/** Numbers a drawing (SVG) that has to be written first. */
export type Draw = (svg: string) => number;

/**
 * Writes a render as ffmpeg's arguments.
 *
 * Frames are chosen by the rule of `nearestFrame`: time stamps are moved to the middle between a frame and the one
 * before it, and the filter `fps` with rounding up then takes the last frame whose middle has passed. Time stamps are
 * counted in ticks that hold both the file's and the clip's times exactly.
 *
 * @param stretches of the graph, one after the other
 * @param newEncoder writer of the program that encodes, which has the picture under the label `picture`
 * @param outputOf what that program puts out, by its writer
 * @param mostOpened originals that one program opens for the picture; what needs more is rendered part by part
 */
export function renderCommand<Encoder extends GraphWriter>(
  rendered: RenderedGraph,
  stretches: readonly Stretch[],
  assets: RenderAssets,
  newEncoder: (draw: Draw) => Encoder,
  outputOf: (encoder: Encoder) => readonly string[],
  mostOpened = MOST_OPENED,
): RenderCommand {
  const drawings: string[] = [];
  const draw = (svg: string): number => drawings.push(svg) - 1;
  const parts = groupsOf(stretches.flatMap(inPieces), mostOpened);
  const encoder = newEncoder(draw);
  const renders = parts.length > 1 ? parts.map((part) => renderOf(rendered, part, assets, draw)) : [];
  if (renders.length) encoder.readFrames();
  else encoder.addPicture(parts.flat());
  const output = outputOf(encoder);
  return {
    renders: renders.map(({ args }) => args),
    filters: [...renders.map(({ filters }) => filters), encoder.filters].join('\n'),
    drawings,
    args: [...encoder.args, ...output],
  };
}

/** Consecutive pieces, so many in a group that they have no more layers together, but at least one. */
function groupsOf(pieces: readonly Stretch[], mostLayers: number): Stretch[][] {
  const groups: Stretch[][] = [];
  let layers = 0;
  for (const piece of pieces) {
    layers += piece.layers.length;
    if (groups.length === 0 || layers > mostLayers) {
      groups.push([]);
      layers = piece.layers.length;
    }
    groups.at(-1)!.push(piece);
  }
  return groups;
}

/** The render of a part of the picture, as raw frames. */
function renderOf(
  rendered: RenderedGraph,
  part: readonly Stretch[],
  assets: RenderAssets,
  draw: Draw,
): { readonly args: readonly string[]; readonly filters: string } {
  const writer = new GraphWriter(rendered, assets, draw);
  writer.addPicture(part);
  const raw = ['-map', '[picture]', '-fps_mode', 'passthrough', '-f', 'rawvideo', '-pix_fmt', RAW_FORMAT];
  return { args: [...writer.args, ...raw], filters: writer.filters };
}

/** Writes inputs and filters of one ffmpeg program that renders a graph. */
export class GraphWriter {
  private readonly inputs: string[] = [];
  protected readonly written: string[] = [];
  private inputCount = 0;

  constructor(
    protected readonly rendered: RenderedGraph,
    protected readonly assets: RenderAssets,
    private readonly draw: Draw,
  ) {}

  get filters(): string {
    return this.written.join(';');
  }

  get args(): readonly string[] {
    return ['-copyts', ...this.inputs, '-filter_complex', this.filters];
  }

  /** The picture comes as raw frames from standard input. */
  readFrames(): void {
    const { graph, size } = this.rendered;
    const { width, height } = size;
    const frames = ['-f', 'rawvideo', '-pix_fmt', RAW_FORMAT, '-s', `${width}x${height}`];
    this.inputs.push(...frames, '-framerate', formatRational(graph.rate), '-i', 'pipe:0');
    this.written.push(
      `[${this.inputCount++}:v]setsar=1,${COLOUR_TAGS},${frameTimebase(graph.rate)}[picture]`,
    );
  }

  addPicture(pieces: readonly Stretch[]): void {
    const parts = pieces.map((piece, part) => this.addPiece(piece, part));
    const { rate } = this.rendered.graph;
    this.written.push(`${parts.join('')}concat=n=${parts.length}:v=1:a=0,${frameTimebase(rate)}[picture]`);
  }

  /** @returns label of the piece */
  private addPiece(stretch: Stretch, part: number): string {
    const { graph, size, scaling } = this.rendered;
    const frames = stretch.to - stretch.from;
    const { width, height } = size;
    const base = `base${part}`;
    this.written.push(
      `color=c=black:s=${width}x${height}:r=${formatRational(graph.rate)},trim=end_frame=${frames},` +
        `format=yuv420p,${COLOUR_TAGS},${frameTimebase(graph.rate)}[${base}]`,
    );
    const effectAssets: EffectAssets = {
      ...this.assets,
      drawing: (svg) => {
        this.inputs.push('-f', 'svg_pipe', '-i', `file:${this.assets.drawingFile(this.draw(svg))}`);
        return `${this.inputCount++}:v`;
      },
    };
    const sized = stretch.layers.map((layer, index) => {
      const facts = this.factsOf(layer.sourceId);
      // Backwards, the last frame is the earliest of the source: frames are picked forwards and then turned round.
      const backwards = layer.speed.num < 0;
      const time = layerTime(layer, backwards ? stretch.to - 1 : stretch.from, graph.rate);
      const speed = { num: Math.abs(layer.speed.num), den: layer.speed.den };
      const input = this.open(layer.sourceId, time, frames, speed);
      const piece = {
        name: `part${part}layer${index}`,
        rate: graph.rate,
        at: stretch.from - layer.clipStart,
        frames,
      };
      const picked =
        temporalFilters(layer.effects) +
        conformFilters(facts, time, graph.rate, frames, speed) +
        (backwards ? ',reverse' : '');
      const made = sizedLayer(`${input}:v:0`, picked, layer, facts, size, piece, effectAssets, scaling);
      this.written.push(...made.filters);
      return made.layer;
    });
    const layered = { width, height, from: stretch.from, count: frames, rate: graph.rate };
    const put = layerFilters(sized, base, layered, `part${part}`);
    this.written.push(...put.filters);
    return `[${put.label}]`;
  }

  /** @returns number of the input */
  protected open(sourceId: string, time: Rational, frames: number, speed: Rational): number {
    const seek = Math.max(0, Math.floor(toNumber(time) - LEAD_SECONDS));
    const length = (toNumber(speed) * frames) / toNumber(this.rendered.graph.rate);
    const end = Math.ceil(toNumber(time) + length + LEAD_SECONDS);
    this.inputs.push('-ss', String(seek), '-t', String(end - seek), ...this.assets.inputOf(sourceId));
    return this.inputCount++;
  }

  /** @throws RangeError for a source that is not known */
  protected factsOf(sourceId: string): SourceFacts {
    const facts = this.assets.factsOf(sourceId);
    if (!facts) throw new RangeError(`The source ${sourceId} is not known.`);
    return facts;
  }
}

/** Frames that are turned round in one go: all of them have to be held at once. */
const TURNED_FRAMES = 16;

function inPieces(stretch: Stretch): Stretch[] {
  if (stretch.layers.every(({ speed }) => speed.num > 0)) return [stretch];
  const pieces: Stretch[] = [];
  for (let from = stretch.from; from < stretch.to; from += TURNED_FRAMES)
    pieces.push({ ...stretch, from, to: Math.min(stretch.to, from + TURNED_FRAMES) });
  return pieces;
}
