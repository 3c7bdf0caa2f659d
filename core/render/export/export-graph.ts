import { stereoFilter } from '../../media/index.js';
import { divide, rational, sourceTimeAt, toNumber, type Rational } from '../../time/index.js';
import type { Timeline } from '../../timeline/index.js';
import { GraphWriter, renderCommand, type RenderAssets, type RenderCommand } from '../graph/graph-writer.js';
import type { FactsOf } from '../graph/facts-of.js';
import { renderGraph, sourcesOf, type RenderGraph, type SoundPart } from '../graph/graph.js';
import type { Delivery } from './delivery.js';
import { encoderArguments } from './encoders.js';

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

const SAMPLE_RATE = 48_000;

/**
 * Writes an export graph as ffmpeg's arguments.
 * @param mostOpened originals that one program opens for the picture; what needs more is rendered part by part
 * @throws RangeError when the timeline shows nothing
 */
export function exportCommand(
  { graph, delivery }: ExportGraph,
  assets: RenderAssets,
  mostOpened?: number,
): RenderCommand {
  if (graph.length === 0) throw new RangeError('There is nothing on the timeline to export.');
  const rendered = { graph, size: delivery.size, scaling: 'bicubic' } as const;
  return renderCommand(
    rendered,
    graph.stretches,
    assets,
    (draw) => new ExportWriter(rendered, assets, draw),
    (writer) => {
      writer.addSound();
      return ['-map', '[picture]', '-map', '[sound]', ...encoderArguments(delivery, graph.rate)];
    },
    mostOpened,
  );
}

/** Writes the program of an export, which has sound beside the picture. */
class ExportWriter extends GraphWriter {
  addSound(): void {
    const { graph } = this.rendered;
    const sounds = graph.sound.map((part, index) => this.addSoundPart(part, index));
    const seconds = toNumber(divide(rational(graph.length), graph.rate)).toFixed(9);
    this.written.push(
      sounds.length
        ? `${sounds.join('')}amix=inputs=${sounds.length}:duration=longest:normalize=0,apad,atrim=end=${seconds}[sound]`
        : `anullsrc=r=${SAMPLE_RATE}:cl=stereo,atrim=end=${seconds}[sound]`,
    );
  }

  private addSoundPart(part: SoundPart, index: number): string {
    const { rate } = this.rendered.graph;
    const { sound } = this.factsOf(part.sourceId);
    const pieces = piecesOf(part, rate).map((piece, at) => this.addHeard(piece, `heard${index}_${at}`));
    const joined = pieces.length > 1 ? `concat=n=${pieces.length}:v=0:a=1,` : '';
    const delayMs = (1000 * part.from * rate.den) / rate.num;
    this.written.push(
      `${pieces.join('')}${joined}${fadeFilters(part, rate)}${stereoFilter(sound!)},` +
        `aformat=sample_fmts=fltp:channel_layouts=stereo,adelay=${delayMs.toFixed(6)}:all=1[sound${index}]`,
    );
    return `[sound${index}]`;
  }

  /** Sound as it is heard, from its first sample on. */
  private addHeard({ sourceId, from, to, sourceIn, speed, keepsPitch }: SoundPart, label: string): string {
    const { rate } = this.rendered.graph;
    const isTurned = speed.num < 0;
    const pace = { num: Math.abs(speed.num), den: speed.den };
    const isStretched = keepsPitch && toNumber(pace) !== 1;
    // What is stretched ends a little early.
    const frames = to - from + (isStretched ? Math.ceil(MORE_SECONDS * toNumber(rate)) : 0);
    const begin = isTurned ? sourceTimeAt(sourceIn, frames, rate, speed) : sourceIn;
    const input = this.open(sourceId, begin, frames, pace);
    const seconds = toNumber(divide(rational(to - from), rate));
    const zero = toNumber(begin) + toNumber(this.factsOf(sourceId).pictureStart);
    const span = (toNumber(divide(rational(frames), rate)) * toNumber(pace)).toFixed(9);
    const turned = isTurned ? `apad,atrim=end=${span},areverse,asetpts=PTS-STARTPTS,` : '';
    const retimed = isStretched ? stretchedSound(pace) : toNumber(pace) === 1 ? '' : retimedSound(pace);
    this.written.push(
      `[${input}:a:0]asetpts=PTS-${zero.toFixed(9)}/TB,aresample=${SAMPLE_RATE}:first_pts=0,${turned}${retimed}` +
        `atrim=start=0:end=${seconds.toFixed(9)},asetpts=PTS-STARTPTS[${label}]`,
    );
    return `[${label}]`;
  }
}

/** Sound beyond its end that is stretched as well, seconds as heard. */
const MORE_SECONDS = 0.25;

/** Sound that is turned round in one go, seconds: all of it has to be held at once. */
const TURNED_SECONDS = 60;

/** Parts that are heard one after the other: backwards, a long one in pieces. */
function piecesOf(part: SoundPart, rate: Rational): SoundPart[] {
  if (part.speed.num > 0) return [part];
  const frames = Math.ceil(TURNED_SECONDS * toNumber(rate));
  const pieces: SoundPart[] = [];
  for (let from = part.from; from < part.to; from += frames) {
    const sourceIn = sourceTimeAt(part.sourceIn, from - part.from, rate, part.speed);
    pieces.push({ ...part, from, to: Math.min(part.to, from + frames), sourceIn });
  }
  return pieces;
}

// Evenly, as the player does it.
function fadeFilters({ from, to, fades }: SoundPart, rate: Rational): string {
  const seconds = (frames: number): string => toNumber(divide(rational(frames), rate)).toFixed(9);
  return (
    (fades.in ? `afade=t=in:st=0:d=${seconds(fades.in)}:curve=tri,` : '') +
    (fades.out ? `afade=t=out:st=${seconds(to - from - fades.out)}:d=${seconds(fades.out)}:curve=tri,` : '')
  );
}

// Like a tape at another speed: higher or lower by as much.
const retimedSound = (speed: Rational): string =>
  `asetrate=${Math.round(SAMPLE_RATE * toNumber(speed))},aresample=${SAMPLE_RATE},`;

/** The most that atempo changes the pace by without leaving sound out. */
const MOST_TEMPO = 2;

/** At another pace and the same pitch, by as many steps as it takes. */
function stretchedSound(speed: Rational): string {
  const pace = toNumber(speed);
  const steps = Math.max(1, Math.ceil(Math.abs(Math.log2(pace)) / Math.log2(MOST_TEMPO)));
  return `${`atempo=${(pace ** (1 / steps)).toFixed(9)},`.repeat(steps)}apad,`;
}

/** The files that an export reads, by source. */
export function exportSources({ graph }: ExportGraph): string[] {
  return sourcesOf(graph);
}
