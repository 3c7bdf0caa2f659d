import {
  deinterlacing,
  hasTransparency,
  scaleColours,
  stereoFilter,
  straightAlpha,
  type SourceFacts,
} from '../../media/index.js';
import { divide, formatRational, rational, subtract, toNumber, type Rational } from '../../time/index.js';
import type { FrameSize, Timeline } from '../../timeline/index.js';
import { frameTimebase } from '../graph/frame-timebase.js';
import type { Delivery } from './delivery.js';
import { encoderArguments } from './encoders.js';
import {
  COLOUR_TAGS,
  effectFilters,
  temporalFilters,
  type EffectAssets,
  type FilterPiece,
} from '../effects/index.js';
import {
  layerStages,
  layerTime,
  renderGraph,
  sourcesOf,
  type FactsOf,
  type Layer,
  type RenderGraph,
  type SoundPart,
  type Stretch,
} from '../graph/graph.js';
import { layerFilters, type SizedLayer } from '../graph/layering.js';

/** The graph of an export and the delivery that it is made for. */
export interface ExportGraph {
  readonly graph: RenderGraph;
  readonly delivery: Delivery;
}

/**
 * Derives the graph of an export from the timeline and the delivery, and from nothing else: there is no parameter
 * through which a lever, a tuning or a light copy could enter.
 * @param factsOf facts of the original files
 */
export function exportGraph(timeline: Timeline, delivery: Delivery, factsOf: FactsOf): ExportGraph {
  return { graph: renderGraph(timeline, factsOf), delivery };
}

/** ffmpeg's arguments for an export, without the program. */
export interface ExportCommand {
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

/** Files that an export reads: originals, and files of effects. */
export interface ExportAssets extends Omit<EffectAssets, 'drawing'> {
  /** The arguments with which ffmpeg opens the original of a source, the last being its path. */
  inputOf(sourceId: string): readonly string[];
  /** Facts of the original files. */
  readonly factsOf: FactsOf;
  /** Path of the drawing of a number. */
  drawingFile(number: number): string;
}

/** Seconds that are decoded before an in point, so that the frame before it is known. */
const LEAD_SECONDS = 2;
const SAMPLE_RATE = 48_000;
/**
 * Most originals that one program opens for the picture. Each opened decoder keeps its pictures until the program ends: of
 * 3840 × 2160, about 100 MB.
 */
const MOST_OPENED = 16;

/**
 * Writes an export graph as ffmpeg's arguments.
 *
 * Frames are chosen by the rule of `nearestFrame`: time stamps are moved to the middle between a frame and the one
 * before it, and the filter `fps` with rounding up then takes the last frame whose middle has passed. Time stamps are
 * counted in ticks that hold both the file's and the clip's times exactly.
 *
 * @param mostOpened originals that one program opens for the picture; what needs more is rendered part by part
 * @throws RangeError when the timeline shows nothing
 */
export function exportCommand(
  exported: ExportGraph,
  assets: ExportAssets,
  mostOpened = MOST_OPENED,
): ExportCommand {
  const { graph, delivery } = exported;
  if (graph.length === 0) throw new RangeError('There is nothing on the timeline to export.');
  const drawings: string[] = [];
  const draw = (svg: string): number => drawings.push(svg) - 1;
  const parts = groupsOf(graph.stretches.flatMap(inPieces), mostOpened);
  const encoder = new GraphWriter(exported, assets, draw);
  const renders = parts.length > 1 ? parts.map((part) => renderOf(exported, part, assets, draw)) : [];
  if (renders.length) encoder.readFrames();
  else encoder.addPicture(parts.flat());
  encoder.addSound();
  return {
    renders: renders.map(({ args }) => args),
    filters: [...renders.map(({ filters }) => filters), encoder.filters].join('\n'),
    drawings,
    args: [
      ...encoder.args,
      ...['-map', '[picture]', '-map', '[sound]'],
      ...encoderArguments(delivery, graph.rate),
    ],
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
  exported: ExportGraph,
  part: readonly Stretch[],
  assets: ExportAssets,
  draw: (svg: string) => number,
): { readonly args: readonly string[]; readonly filters: string } {
  const writer = new GraphWriter(exported, assets, draw);
  writer.addPicture(part);
  const raw = ['-map', '[picture]', '-fps_mode', 'passthrough', '-f', 'rawvideo', '-pix_fmt', RAW_FORMAT];
  return { args: [...writer.args, ...raw], filters: writer.filters };
}

/** Format of the picture between its last filter and the encoder. */
const RAW_FORMAT = 'yuv420p';

/** Writes inputs and filters of one program. */
class GraphWriter {
  private readonly inputs: string[] = [];
  private readonly written: string[] = [];
  private inputCount = 0;

  constructor(
    private readonly exported: ExportGraph,
    private readonly assets: ExportAssets,
    private readonly draw: (svg: string) => number,
  ) {}

  get filters(): string {
    return this.written.join(';');
  }

  get args(): readonly string[] {
    return ['-copyts', ...this.inputs, '-filter_complex', this.filters];
  }

  /** The picture comes as raw frames from standard input. */
  readFrames(): void {
    const { graph, delivery } = this.exported;
    const { width, height } = delivery.size;
    const frames = ['-f', 'rawvideo', '-pix_fmt', RAW_FORMAT, '-s', `${width}x${height}`];
    this.inputs.push(...frames, '-framerate', formatRational(graph.rate), '-i', 'pipe:0');
    this.written.push(
      `[${this.inputCount++}:v]setsar=1,${COLOUR_TAGS},${frameTimebase(graph.rate)}[picture]`,
    );
  }

  addPicture(pieces: readonly Stretch[]): void {
    const parts = pieces.map((piece, part) => this.addPiece(piece, part));
    const { rate } = this.exported.graph;
    this.written.push(`${parts.join('')}concat=n=${parts.length}:v=1:a=0,${frameTimebase(rate)}[picture]`);
  }

  /** @returns label of the piece */
  private addPiece(stretch: Stretch, part: number): string {
    const { graph, delivery } = this.exported;
    const frames = stretch.to - stretch.from;
    const { width, height } = delivery.size;
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
      const facts = known(this.assets.factsOf, layer.sourceId);
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
      const made = sizedLayer(`${input}:v:0`, picked, layer, facts, delivery.size, piece, effectAssets);
      this.written.push(...made.filters);
      return made.layer;
    });
    const layered = { width, height, from: stretch.from, count: frames, rate: graph.rate };
    const put = layerFilters(sized, base, layered, `part${part}`);
    this.written.push(...put.filters);
    return `[${put.label}]`;
  }

  addSound(): void {
    const { graph } = this.exported;
    const sounds = graph.sound.map((part, index) => this.addSoundPart(part, index));
    const seconds = toNumber(divide(rational(graph.length), graph.rate)).toFixed(9);
    this.written.push(
      sounds.length
        ? `${sounds.join('')}amix=inputs=${sounds.length}:duration=longest:normalize=0,apad,atrim=end=${seconds}[sound]`
        : `anullsrc=r=${SAMPLE_RATE}:cl=stereo,atrim=end=${seconds}[sound]`,
    );
  }

  private addSoundPart(part: SoundPart, index: number): string {
    const { rate } = this.exported.graph;
    const facts = known(this.assets.factsOf, part.sourceId);
    const input = this.open(part.sourceId, part.sourceIn, part.to - part.from, part.speed);
    const retimed = toNumber(part.speed) === 1 ? '' : retimedSound(part.speed);
    const length = divide(rational(part.to - part.from), rate);
    const zero = part.sourceIn.num / part.sourceIn.den + toNumber(facts.pictureStart);
    const faded = fadeFilters(part, rate);
    const delayMs = (1000 * part.from * rate.den) / rate.num;
    this.written.push(
      `[${input}:a:0]asetpts=PTS-${zero.toFixed(9)}/TB,aresample=${SAMPLE_RATE}:first_pts=0,${retimed}` +
        `atrim=start=0:end=${toNumber(length).toFixed(9)},asetpts=PTS-STARTPTS,${faded}` +
        `${stereoFilter(facts.sound!)},aformat=sample_fmts=fltp:channel_layouts=stereo,adelay=${delayMs.toFixed(6)}:all=1[sound${index}]`,
    );
    return `[sound${index}]`;
  }

  /** @returns number of the input */
  private open(sourceId: string, time: Rational, frames: number, speed: Rational): number {
    const seek = Math.max(0, Math.floor(toNumber(time) - LEAD_SECONDS));
    const length = (toNumber(speed) * frames) / toNumber(this.exported.graph.rate);
    const end = Math.ceil(toNumber(time) + length + LEAD_SECONDS);
    this.inputs.push('-ss', String(seek), '-t', String(end - seek), ...this.assets.inputOf(sourceId));
    return this.inputCount++;
  }
}

// Evenly, as the player does it.
function fadeFilters({ from, to, fades }: SoundPart, rate: Rational): string {
  const seconds = (frames: number): string => toNumber(divide(rational(frames), rate)).toFixed(9);
  return (
    (fades.in ? `afade=t=in:st=0:d=${seconds(fades.in)}:curve=tri,` : '') +
    (fades.out ? `afade=t=out:st=${seconds(to - from - fades.out)}:d=${seconds(fades.out)}:curve=tri,` : '')
  );
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

// Like a tape at another speed: higher or lower by as much.
const retimedSound = (speed: Rational): string =>
  `asetrate=${Math.round(SAMPLE_RATE * toNumber(speed))},aresample=${SAMPLE_RATE},`;

/**
 * ffmpeg's filters from frames of an original to a layer of the export.
 * @param input label of the original
 * @param picked filters that pick the frames that are wanted
 */
export function sizedLayer(
  input: string,
  picked: string,
  layer: Layer,
  facts: SourceFacts,
  frame: FrameSize,
  piece: FilterPiece,
  assets: EffectAssets,
): { readonly filters: readonly string[]; readonly layer: SizedLayer } {
  const stages = layerStages(layer, facts, frame);
  const { width, height } = stages[0].pose.raster;
  const picture = facts.picture!;
  const isTransparent = hasTransparency(facts);
  const scaled =
    `[${input}]${picked},${straightAlpha(picture)}scale=${width}:${height}:flags=bicubic:${scaleColours(picture)},` +
    `format=${isTransparent ? 'yuva420p' : 'yuv420p'},setsar=1,${COLOUR_TAGS},${frameTimebase(piece.rate)}`;
  const [colours, alpha] = [`${piece.name}colours`, `${piece.name}alpha`];
  const source = isTransparent
    ? [
        `${scaled},split[${piece.name}][${alpha}whole]`,
        `[${piece.name}]format=yuv420p,${COLOUR_TAGS}[${colours}]`,
        `[${alpha}whole]alphaextract,format=gray[${alpha}]`,
      ]
    : [`${scaled}[${colours}]`];
  const made = effectFilters(
    { picture: colours, alpha: isTransparent ? alpha : null },
    ...([stages, frame, piece, assets] as const),
  );
  const { placement } = stages.at(-1)!.pose;
  const corner = { x: placement?.x ?? 0, y: placement?.y ?? 0 };
  return {
    filters: [...source, ...made.filters],
    layer: { label: made.label, corner, mix: layer.mix },
  };
}

function known(factsOf: FactsOf, sourceId: string): SourceFacts {
  const facts = factsOf(sourceId);
  if (!facts) throw new RangeError(`The source ${sourceId} is not known.`);
  return facts;
}

const gcd = (a: number, b: number): number => (b === 0 ? a : gcd(b, a % b));
const lcm = (a: number, b: number): number => (a / gcd(a, b)) * b;

/**
 * Picks `frames` frames of a source at the timeline's rate, beginning at a source time.
 * @param time seconds from the first frame of the source
 * @param speed source seconds for each second of the timeline, above zero
 */
export function conformFilters(
  facts: SourceFacts,
  time: Rational,
  rate: Rational,
  frames: number,
  speed: Rational = { num: 1, den: 1 },
): string {
  const picture = facts.picture!;
  const zero = subtract(time, { num: -facts.pictureStart.num, den: facts.pictureStart.den });
  const perFrame = picture.constantRate ? picture.rate.num : 1;
  const exact = lcm(lcm(picture.timescale, perFrame), zero.den) * speed.num;
  // Clocks of odd files can ask for more ticks than a filter's time base holds; microseconds are then near enough.
  const ticks = 2 * (Number.isSafeInteger(exact) && exact < 2 ** 30 ? exact : 1_000_000);
  const start = Math.round((zero.num / zero.den) * ticks);
  // Stamps of a constant rate are put back on their grid: files that count in thousandths have rounded them.
  const stamp = picture.constantRate
    ? `round((PTS*TB-${toNumber(facts.pictureStart)})*${formatRational(picture.rate)})*` +
      `${(ticks * picture.rate.den) / picture.rate.num}+${Math.round(toNumber(facts.pictureStart) * ticks)}`
    : 'PTS';
  const since = `(PTS+if(isnan(PREV_INPTS),PTS,PREV_INPTS))/2-${start}`;
  const middle = speed.num === speed.den ? since : `(${since})*${speed.den}/${speed.num}`;
  // What lies before the first frame shows the first frame.
  const early = time.num < 0 ? ':start_time=0' : '';
  return (
    `${deinterlacing(picture.scan)}settb=1/${ticks},setpts='${stamp}',setpts='${middle}',` +
    `fps=${formatRational(rate)}:round=up${early},tpad=stop=-1:stop_mode=clone,trim=start_pts=0,setpts=PTS-STARTPTS,` +
    `trim=end_frame=${frames}`
  );
}

/** The files that an export reads, by source. */
export function exportSources({ graph }: ExportGraph): string[] {
  return sourcesOf(graph);
}
