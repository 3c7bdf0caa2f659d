import type { SourceFacts } from '../../media/index.js';
import { formatRational, toNumber, type Rational } from '../../time/index.js';
import type { FrameRange, FrameSize } from '../../timeline/index.js';
import { COLOUR_TAGS, temporalFilters, type EffectAssets } from '../effects/index.js';
import { conformFilters } from './conform-filters.js';
import { frameTimebase } from './frame-timebase.js';
import type { FactsOf } from './facts-of.js';
import { layerTime, type RenderGraph, type Stretch } from './graph.js';
import type { Layer } from './layer.js';
import { layerFilters } from './layering.js';
import { LEAD_SECONDS, SharedInputs, type Reading, type SharedInput } from './shared-inputs.js';
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
  const parts = groupsOf(stretches.flatMap(inPieces), rendered.graph.rate, mostOpened);
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

/** Consecutive pieces, so many in a group that no more originals are opened for them, but at least one. */
function groupsOf(pieces: readonly Stretch[], rate: Rational, mostOpened: number): Stretch[][] {
  const groups: Stretch[][] = [];
  let opened = new SharedInputs();
  pieces.forEach((piece, number) => {
    const readings = piece.layers.map((layer) => shownPart(piece, layer, rate).reading);
    if (groups.length === 0 || opened.inputs.length + opened.opensFor(readings, number) > mostOpened) {
      groups.push([]);
      opened = new SharedInputs();
    }
    for (const reading of readings) opened.take(reading, number);
    groups.at(-1)!.push(piece);
  });
  return groups;
}

/** What a layer shows of its source in a piece. */
interface ShownPart {
  /** Source time of the earliest frame, from the first one of the source. */
  readonly time: Rational;
  /** Source seconds for each second of the timeline, without a sign. */
  readonly pace: Rational;
  readonly isBackwards: boolean;
  readonly reading: Reading;
}

function shownPart({ from, to }: FrameRange, layer: Layer, rate: Rational): ShownPart {
  // Backwards, the last frame is the earliest of the source: frames are picked forwards and then turned round.
  const isBackwards = layer.speed.num < 0;
  const time = layerTime(layer, isBackwards ? to - 1 : from, rate);
  const pace = { num: Math.abs(layer.speed.num), den: layer.speed.den };
  const begin = toNumber(time);
  const end = begin + (toNumber(pace) * (to - from)) / toNumber(rate);
  return { time, pace, isBackwards, reading: { sourceId: layer.sourceId, from: begin, to: end } };
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
  private readonly inputs: (readonly string[] | SharedInput)[] = [];
  protected readonly written: string[] = [];
  /** Originals of the picture. */
  private readonly pictures = new SharedInputs();

  constructor(
    protected readonly rendered: RenderedGraph,
    protected readonly assets: RenderAssets,
    private readonly draw: Draw,
  ) {}

  get filters(): string {
    const parted = this.inputs.flatMap((input, number) =>
      'readings' in input ? this.partFilters(input, number) : [],
    );
    return [...parted, ...this.written].join(';');
  }

  get args(): readonly string[] {
    const inputs = this.inputs.flatMap((input) => ('readings' in input ? this.sharedInput(input) : input));
    return ['-copyts', ...inputs, '-filter_complex', this.filters];
  }

  /** The picture comes as raw frames from standard input. */
  readFrames(): void {
    const { graph, size } = this.rendered;
    const { width, height } = size;
    const frames = ['-f', 'rawvideo', '-pix_fmt', RAW_FORMAT, '-s', `${width}x${height}`];
    const number = this.addInput([...frames, '-framerate', formatRational(graph.rate), '-i', 'pipe:0']);
    this.written.push(`[${number}:v]setsar=1,${COLOUR_TAGS},${frameTimebase(graph.rate)}[picture]`);
  }

  /**
   * Brings the picture to an encoder.
   * @param filters with a comma before them
   * @returns label of what it encodes
   */
  uploaded(filters: string): string {
    this.written.push(`[picture]null${filters}[uploaded]`);
    return '[uploaded]';
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
    const effectAssets: EffectAssets = {
      ...this.assets,
      drawing: (svg) => {
        const file = `file:${this.assets.drawingFile(this.draw(svg))}`;
        return `${this.addInput(['-f', 'svg_pipe', '-i', file])}:v`;
      },
    };
    const sized = stretch.layers.map((layer, index) => {
      const facts = this.factsOf(layer.sourceId);
      const { time, pace, isBackwards, reading } = shownPart(stretch, layer, graph.rate);
      const input = this.takePart(reading, part);
      const piece = {
        name: `part${part}layer${index}`,
        rate: graph.rate,
        at: stretch.from - layer.clipStart,
        frames,
      };
      const picked =
        temporalFilters(layer.effects) +
        conformFilters(facts, time, graph.rate, frames, pace) +
        (isBackwards ? ',reverse' : '');
      const made = sizedLayer(input, picked, layer, facts, size, piece, effectAssets, scaling);
      this.written.push(...made.filters);
      return made.layer;
    });
    const layered = { width, height, from: stretch.from, count: frames, rate: graph.rate };
    const newBase = (): string => {
      const base = `base${part}`;
      this.written.push(
        `color=c=black:s=${width}x${height}:r=${formatRational(graph.rate)},trim=end_frame=${frames},` +
          `format=yuv420p,${COLOUR_TAGS},${frameTimebase(graph.rate)}[${base}]`,
      );
      return base;
    };
    const put = layerFilters(sized, newBase, layered, `part${part}`);
    this.written.push(...put.filters);
    return `[${put.label}]`;
  }

  /** @returns label of the part of an original that a piece shows */
  private takePart(reading: Reading, piece: number): string {
    const input = this.pictures.take(reading, piece);
    const known = this.inputs.indexOf(input);
    const number = known < 0 ? this.addInput(input) : known;
    return partLabel(number, input.readings.length - 1);
  }

  /** Opens a file from a time of its source on. @returns number of the input */
  protected open(sourceId: string, time: Rational, frames: number, pace: Rational): number {
    const from = toNumber(time);
    const to = from + (toNumber(pace) * frames) / toNumber(this.rendered.graph.rate);
    return this.addInput(this.inputOf({ sourceId, from, to }));
  }

  private addInput(input: readonly string[] | SharedInput): number {
    return this.inputs.push(input) - 1;
  }

  private inputOf(reading: Reading): readonly string[] {
    const { begin, end } = decodedSeconds(reading);
    return ['-ss', String(begin), '-t', String(end - begin), ...this.assets.inputOf(reading.sourceId)];
  }

  private sharedInput({ readings }: SharedInput): readonly string[] {
    return this.inputOf({ ...readings[0]!, to: readings.at(-1)!.to });
  }

  /** Filters that give each part of an input out under a label of its own. */
  private partFilters({ readings }: SharedInput, number: number): string[] {
    const labels = readings.map((_, place) => `[${partLabel(number, place)}]`);
    if (labels.length === 1) return [`[${number}:v:0]null${labels[0]}`];
    const start = toNumber(this.factsOf(readings[0]!.sourceId).pictureStart);
    const whole = labels.map((label) => label.replace(']', 'whole]'));
    return [
      `[${number}:v:0]split=${labels.length}${whole.join('')}`,
      ...readings.map((reading, place) => {
        const { begin, end } = decodedSeconds(reading);
        return `${whole[place]}trim=start=${begin + start}:end=${end + start}${labels[place]}`;
      }),
    ];
  }

  /** @throws RangeError for a source that is not known */
  protected factsOf(sourceId: string): SourceFacts {
    const facts = this.assets.factsOf(sourceId);
    if (!facts) throw new RangeError(`The source ${sourceId} is not known.`);
    return facts;
  }
}

/** Whole seconds of a source that are decoded for a reading. */
const decodedSeconds = ({ from, to }: Reading): { readonly begin: number; readonly end: number } => ({
  begin: Math.max(0, Math.floor(from - LEAD_SECONDS)),
  end: Math.ceil(to + LEAD_SECONDS),
});

const partLabel = (input: number, place: number): string => `input${input}part${place}`;

/** Frames that are turned round in one go: all of them have to be held at once. */
const TURNED_FRAMES = 16;

function inPieces(stretch: Stretch): Stretch[] {
  if (stretch.layers.every(({ speed }) => speed.num > 0)) return [stretch];
  const pieces: Stretch[] = [];
  for (let from = stretch.from; from < stretch.to; from += TURNED_FRAMES)
    pieces.push({ ...stretch, from, to: Math.min(stretch.to, from + TURNED_FRAMES) });
  return pieces;
}
