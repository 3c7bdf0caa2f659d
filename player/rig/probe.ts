import { transfer, wrap, type Remote } from 'comlink';
import type { DecodePath } from '@hone/core/levers';
import type { Rational } from '@hone/core/time';
import type { FrameSize } from '@hone/core/timeline';
import { NOTHING_LEFT, presentMsOf, together, type Left, type PresentTimes } from './presentation.js';
import type { ComposingTimes, DecodeTimes, GraphicsTimes, KernelTimes, ShowTimes } from './times.js';
import type { RigWorker } from './worker.js';

/** Measures what the browser's part of playback costs on this machine, in a worker of its own. */
export class RigProbe {
  private readonly remote: Remote<RigWorker>;
  /** Is rejected when the worker ends; it never answers then. */
  private readonly ended: Promise<never>;
  private end: (error: Error) => void = () => undefined;

  private constructor(
    private readonly assets: string,
    private readonly worker: Worker,
  ) {
    this.remote = wrap<RigWorker>(worker);
    this.ended = new Promise((_, reject) => (this.end = reject));
    this.ended.catch(() => undefined);
    worker.onerror = (event) => this.end(new Error(`The measurement stopped: ${event.message}`));
  }

  /** @param assets where the player's workers and kernels.wasm are served, ending in a slash */
  static async create(assets: string): Promise<RigProbe> {
    const reply = await fetch(`${assets}kernels.wasm`);
    if (!reply.ok)
      throw new Error(`The player's kernels could not be loaded: ${reply.status}. Start Hone anew.`);
    const wasm = await reply.arrayBuffer();
    const probe = RigProbe.bare(assets);
    await probe.ask((rig) => rig.init(transfer(wasm, [wasm])));
    return probe;
  }

  // One that measures nothing, but can be kept busy.
  private static bare(assets: string): RigProbe {
    const worker = new Worker(`${assets}rig.js`, { type: 'module', name: 'rig' });
    return new RigProbe(assets, worker);
  }

  kernels(rounds: number): Promise<readonly KernelTimes[]> {
    return this.ask((rig) => rig.kernels(rounds));
  }

  /** Makes the pictures visible: only then do `shows` and `presentation` measure the cost of playback. */
  async showOn(canvas: HTMLCanvasElement): Promise<void> {
    const offscreen = canvas.transferControlToOffscreen();
    await this.ask((rig) => rig.showOn(transfer(offscreen, [offscreen])));
  }

  shows(sizes: readonly FrameSize[], rounds: number): Promise<readonly ShowTimes[]> {
    return this.ask((rig) => rig.shows(sizes, rounds));
  }

  /** Composing on the graphics processor; null where there is none. */
  graphicsComposing(sizes: readonly FrameSize[], rounds: number): Promise<ComposingTimes | null> {
    return this.ask((rig) => rig.graphicsComposing(sizes, rounds));
  }

  /**
   * Decodes a file flat out for some seconds with one or several decoders.
   * @param starts whether first pictures are timed as well
   * @param path that it is decoded by; the first that the browser offers when absent
   */
  decode(
    url: string,
    seconds: number,
    decoders: number,
    starts = false,
    path?: DecodePath,
  ): Promise<DecodeTimes> {
    return this.ask((rig) => rig.decode(url, seconds, decoders, starts, path));
  }

  /** Reads a file of uncompressed pictures flat out, as the player does. */
  read(url: string, size: FrameSize, rate: Rational, frameCount: number): Promise<DecodeTimes> {
    return this.ask((rig) => rig.read(url, size, rate, frameCount));
  }

  graphics(rounds: number): Promise<GraphicsTimes> {
    return this.ask((rig) => rig.graphics(rounds));
  }

  /**
   * What the browser takes of all cores to bring a drawn picture to the screen, ms a picture: of what all cores can do,
   * how much less is left when the pictures are seen than when they are only drawn.
   * @param ms of each of the parts of a round
   */
  async presentation(size: FrameSize, rounds: number, ms: number): Promise<PresentTimes> {
    const others: RigProbe[] = [];
    try {
      for (let core = 0; core < navigator.hardwareConcurrency; core++)
        others.push(RigProbe.bare(this.assets));
      const left = async (showing: Promise<number>): Promise<Left> => {
        const working = others.map((other) => other.ask((rig) => rig.work(ms)));
        const [pictures, ...done] = await Promise.all([showing, ...working]);
        return { pictures, pieces: done.reduce((sum, each) => sum + each, 0) };
      };
      const shown = (seen: boolean): Promise<number> => this.ask((rig) => rig.showing(size, ms, seen));
      const coreMs = others.length * ms;
      let [aloneSum, drawnSum, seenSum] = [NOTHING_LEFT, NOTHING_LEFT, NOTHING_LEFT];
      const times: number[] = [];
      for (let round = 0; round < rounds; round++) {
        const alone = await left(Promise.resolve(0));
        const drawn = await left(shown(false));
        const seen = await left(shown(true));
        [aloneSum, drawnSum, seenSum] = [
          together(aloneSum, alone),
          together(drawnSum, drawn),
          together(seenSum, seen),
        ];
        times.push(presentMsOf(alone, drawn, seen, coreMs));
      }
      // A round alone says little, since others take their part of the cores too.
      return { ms: presentMsOf(aloneSum, drawnSum, seenSum, rounds * coreMs), rounds: times };
    } finally {
      for (const other of others) other.dispose();
    }
  }

  /** Ends everything; what still waits is rejected. */
  dispose(): void {
    this.worker.terminate();
    this.end(new Error('The measurement was cancelled.'));
  }

  private ask<T>(call: (rig: Remote<RigWorker>) => Promise<T>): Promise<T> {
    return Promise.race([call(this.remote), this.ended]);
  }
}
