import { median } from 'd3-array';
import { RESAMPLE, RESAMPLE_FAR, scaleKernel } from '@hone/core/cost-model';
import type { ComposeProcessor } from '@hone/core/levers';
import { COMPOSE_TWO, COMPOSED_SIZE } from '@hone/core/machine';
import type { KnownEffect } from '@hone/core/render';
import type { FrameSize } from '@hone/core/timeline';
import { reduceFrame, reductionBytes } from '../decode/reduce-frame.js';
import { Workspace } from '../decode/workspace.js';
import { Screen } from '../engine/screen.js';
import type { ReadyPicture } from '../engine/ready-picture.js';
import { FIRST_FREE, PAGE, type Kernels } from '../shared/kernels.js';
import { planarBytes, VIDEO_BT709 } from '../shared/picture.js';
import { effectRoom, effectTimes, PIXEL_EFFECTS } from './effect-times.js';
import type { ComposingTimes, KernelTimes, ShowTimes } from './times.js';

const SOURCE = { width: 3840, height: 2160 };
const SCALES = [1, 2, 4, 8, 16];
/** A preview that is no whole part of its source. */
const ODD = { width: 1042, height: 586 };
/** A much smaller picture size. */
const FAR = { width: 238, height: 134 };
const PACE_MS = 1000 / 24;

type Drawn = ReturnType<Screen['draw']>;

/** What a screen composes on, and who is told when that is lost. */
interface ComposingOn {
  readonly processor: ComposeProcessor;
  readonly lost?: (reason: string) => void;
  /** Effects of each picture that are done in composing. */
  readonly effects?: readonly KnownEffect[];
}

const megapixels = ({ width, height }: FrameSize): number => (width * height) / 1e6;
const even = (value: number): number => 2 * Math.round(value / 2);

/** The same functions that play, timed on made-up pictures. */
export class KernelBench {
  private readonly memory: WebAssembly.Memory;
  private readonly workspace: Workspace;
  private readonly target: number;
  private readonly composed: number;
  private readonly colours: number;

  constructor(
    private readonly kernels: Kernels,
    memory: WebAssembly.Memory,
  ) {
    this.memory = memory;
    const work = Workspace.bytesFor(reductionBytes(SOURCE, SOURCE));
    const picture = planarBytes(SOURCE.width, SOURCE.height) + 64;
    this.target = FIRST_FREE + Math.ceil(work / 64) * 64;
    this.composed = this.target + Math.ceil(picture / 64) * 64;
    this.colours = this.composed + Math.ceil(picture / 64) * 64;
    const bytes = this.colours + Math.max(4 * SOURCE.width * SOURCE.height, effectRoom(COMPOSED_SIZE));
    const missing = bytes - memory.buffer.byteLength;
    if (missing > 0) memory.grow(Math.ceil(missing / PAGE));
    this.workspace = new Workspace(memory, kernels, FIRST_FREE, work);
  }

  async kernelTimes(rounds: number): Promise<KernelTimes[]> {
    const frame = madeUpFrame(SOURCE);
    const times: KernelTimes[] = [];
    try {
      const targets = SCALES.map((scale) => ({
        kernel: scaleKernel(scale),
        target: { width: even(SOURCE.width / scale), height: even(SOURCE.height / scale) },
      }));
      for (const { kernel, target } of [
        ...targets,
        { kernel: RESAMPLE, target: ODD },
        { kernel: RESAMPLE_FAR, target: FAR },
      ]) {
        const ms: number[] = [];
        for (let round = -1; round < rounds; round++) {
          const start = performance.now();
          const reduction = {
            target,
            quarters: 0,
            address: this.target,
            kind: 'quick' as const,
            stacked: null,
          };
          await reduceFrame(frame, reduction, this.memory, this.kernels, this.workspace);
          if (round >= 0) ms.push(performance.now() - start);
        }
        times.push({ stage: 'scale', kernel, megapixels: megapixels(SOURCE), of: 'source', ms });
      }
    } finally {
      frame.close();
    }
    times.push(...effectTimes(this.kernels, this.memory, this.colours, COMPOSED_SIZE, rounds));
    times.push({
      stage: 'compose',
      kernel: COMPOSE_TWO,
      megapixels: megapixels(COMPOSED_SIZE),
      of: 'result',
      ms: this.draw(COMPOSED_SIZE, rounds, 2).map(({ composeMs }) => composeMs),
    });
    return times;
  }

  /** Time to show a picture in continuous playback; one after a pause takes longer. */
  async showTimes(
    sizes: readonly FrameSize[],
    rounds: number,
    canvas = new OffscreenCanvas(2, 2),
  ): Promise<ShowTimes[]> {
    const times: ShowTimes[] = [];
    for (const size of sizes) {
      const ms: number[] = [];
      await this.atPace(this.drawing(size, 1, canvas), rounds + 1, ({ showMs }) => ms.push(showMs));
      times.push({ size, ms: ms.slice(1) });
    }
    return times;
  }

  /**
   * Time to compose on the graphics processor, and to show what was composed.
   * @param sizes the smallest first
   * @returns null where the browser has no graphics processor, or it was lost meanwhile
   */
  async graphicsComposing(
    sizes: readonly FrameSize[],
    rounds: number,
    canvas = new OffscreenCanvas(2, 2),
  ): Promise<ComposingTimes | null> {
    const lost: string[] = [];
    const on = { processor: 'graphics processor', lost: (reason: string) => lost.push(reason) } as const;
    const composed = (layers: number, effects: readonly KnownEffect[] = []): number[] => {
      const draw = this.drawing(COMPOSED_SIZE, layers, canvas, { ...on, effects });
      return Array.from({ length: rounds + 1 }, () => draw().composeMs).slice(1);
    };
    const times = (stage: KernelTimes['stage'], kernel: string, ms: readonly number[]): KernelTimes => ({
      ...{ stage, kernel, ms, of: 'result', megapixels: megapixels(COMPOSED_SIZE) },
    });
    const plain = median(composed(1))!;
    const kernels = [
      times('compose', COMPOSE_TWO, composed(2)),
      ...PIXEL_EFFECTS.map(([kernel, effect]) => {
        const more = composed(1, [effect]).map((ms) => Math.max(0, ms - plain));
        return times('effects', kernel, more);
      }),
    ];
    const shows: ShowTimes[] = [];
    for (const size of sizes) {
      const ms: number[] = [];
      await this.atPace(this.drawing(size, 1, canvas, on), rounds + 1, ({ showMs }) => ms.push(showMs));
      shows.push({ size, ms: ms.slice(1) });
    }
    if (lost.length) return null;
    return { kernels, shows };
  }

  /** Shows pictures at the pace of playing for so many ms. @returns how many */
  async keepShowing(size: FrameSize, ms: number, canvas = new OffscreenCanvas(2, 2)): Promise<number> {
    const end = performance.now() + ms;
    let count = 0;
    const isOver = (): boolean => performance.now() >= end;
    await this.atPace(this.drawing(size, 1, canvas), Infinity, () => count++, isOver);
    return count;
  }

  private async atPace<T>(
    draw: () => T,
    most: number,
    take: (took: T) => void,
    isOver = (): boolean => false,
  ): Promise<void> {
    let due = performance.now();
    for (let drawn = 0; drawn < most && !isOver(); drawn++) {
      take(draw());
      due = Math.max(due + PACE_MS, performance.now());
      await new Promise((resolve) => setTimeout(resolve, due - performance.now()));
    }
  }

  private draw(size: FrameSize, rounds: number, layers: number): Drawn[] {
    const draw = this.drawing(size, layers, new OffscreenCanvas(size.width, size.height));
    return Array.from({ length: rounds + 1 }, draw).slice(1);
  }

  private drawing(
    size: FrameSize,
    layers: number,
    canvas: OffscreenCanvas,
    on: ComposingOn = { processor: 'processor' },
  ): () => Drawn {
    const screen = new Screen(canvas, this.memory, this.kernels);
    if (on.lost) screen.onGraphicsLost = on.lost;
    void screen.composeOn(on.processor, []);
    const picture: ReadyPicture = {
      address: this.target,
      pose: { raster: size, natural: size, placement: { x: 0, y: 0, ...size } },
      effects: on.effects ?? [],
      coding: VIDEO_BT709,
      decoder: 'browser',
      file: null,
      isBare: on.effects !== undefined,
      hasAlpha: false,
    };
    const drawn = Array.from({ length: layers }, (_, index) => ({
      picture,
      clipId: String(index),
      effects: [],
      at: 0,
    }));
    const room = {
      composed: this.composed,
      mixing: [this.composed, this.composed] as const,
      colours: this.colours,
      warped: this.composed,
      alphas: [],
      product: 0,
      shapes: this.composed,
    };
    return () => screen.draw(drawn, size, room);
  }
}

/** A picture without a pattern that a codec or a cache could make use of. */
export function madeUpFrame({ width, height }: FrameSize): VideoFrame {
  const data = new Uint8Array(planarBytes(width, height));
  let state = 1;
  for (let at = 0; at < data.length; at++) {
    state = (1_103_515_245 * state + 12_345) & 0x7fffffff;
    data[at] = 16 + ((state >> 16) % 200);
  }
  return new VideoFrame(data, { format: 'I420', codedWidth: width, codedHeight: height, timestamp: 0 });
}
