import { frameTimebase } from '../graph/frame-timebase.js';
import type { FrameSize } from '../../timeline/index.js';
import { formatRational, type Rational } from '../../time/index.js';
import { digits } from './expressions.js';

/** A piece of a clip that goes through filters: frames [at, at + frames) of the clip. */
export interface FilterPiece {
  /** A prefix that nothing else in the graph has. */
  readonly name: string;
  readonly rate: Rational;
  readonly at: number;
  readonly frames: number;
}

/** The labels of a filter graph that is being written. */
export class Writer {
  readonly filters: string[] = [];
  private count = 0;

  constructor(private readonly piece: FilterPiece) {}

  label(): string {
    return `${this.piece.name}e${this.count++}`;
  }

  /** Adds a chain and gives back the label of its output. */
  chain(inputs: readonly string[], text: string): string {
    const output = this.label();
    this.filters.push(`${inputs.map((input) => `[${input}]`).join('')}${text}[${output}]`);
    return output;
  }

  split(input: string, count: number): string[] {
    const outputs = Array.from({ length: count }, () => this.label());
    this.filters.push(`[${input}]split=${count}${outputs.map((output) => `[${output}]`).join('')}`);
    return outputs;
  }

  planes(input: string, planes: string): string[] {
    const outputs = planes.split('+').map(() => this.label());
    this.filters.push(`[${input}]extractplanes=${planes}${outputs.map((output) => `[${output}]`).join('')}`);
    return outputs;
  }

  /** One frame, repeated for the length of the piece. */
  still(inputs: readonly string[], text: string): string {
    return this.chain(
      inputs,
      `${text},trim=end_frame=1,loop=loop=-1:size=1,trim=end_frame=${this.piece.frames},${this.counted}`,
    );
  }

  /** A frame of one value for each frame of the piece. */
  grey({ width, height }: FrameSize): string {
    const { rate, frames } = this.piece;
    return `color=black:s=${width}x${height}:r=${formatRational(rate)},format=gray,trim=end_frame=${frames},${this.counted}`;
  }

  /** A frame in which nothing is seen, for each frame of the piece. */
  clear({ width, height }: FrameSize): string {
    const { rate, frames } = this.piece;
    return this.chain(
      [],
      `color=black@0:s=${width}x${height}:r=${formatRational(rate)},format=yuva420p,${COLOUR_TAGS},` +
        `trim=end_frame=${frames},${this.counted}`,
    );
  }

  get counted(): string {
    return frameTimebase(this.piece.rate);
  }

  /** The frame of the clip, where N counts the frames of the piece. */
  get frame(): string {
    return `(N+${digits(this.piece.at)})`;
  }
}

/** Filter that tags a picture as BT.709, limited range; some filters of ffmpeg drop these tags. */
export const COLOUR_TAGS = 'setparams=range=tv:color_primaries=bt709:color_trc=bt709:colorspace=bt709';

/** Room for a value that is the same all over a picture. */
const SMALL: FrameSize = { width: 16, height: 16 };

/** A value that is the same all over the picture, told for each frame. */
export function uniform(writer: Writer, share: string, { width, height }: FrameSize): string {
  return writer.chain(
    [],
    `${writer.grey(SMALL)},geq=lum='clip(255*${share}+0.5,0,255)',scale=${width}:${height}:flags=neighbor,setsar=1`,
  );
}
