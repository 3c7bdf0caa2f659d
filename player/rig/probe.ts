import type { FrameSize } from '@hone/core/timeline';
import { channel, type Channel } from '../shared/messages.js';
import { NOTHING_LEFT, presentMsOf, together, type Left, type PresentTimes } from './presentation.js';
import type {
  DecodeTimes,
  GraphicsTimes,
  KernelTimes,
  NumberedReply,
  NumberedRequest,
  RigReply,
  RigRequest,
  ShowTimes,
} from './messages.js';

/** Measures what the browser's part of playback costs on this machine, in a worker of its own. */
export class RigProbe {
  private readonly waiting = new Map<
    number,
    { resolve: (reply: RigReply) => void; reject: (error: Error) => void }
  >();
  private next = 1;

  private constructor(
    private readonly assets: string,
    private readonly worker: Worker,
    private readonly port: Channel<NumberedRequest, NumberedReply>,
  ) {
    port.onMessage((reply) => this.receive(reply));
    worker.onerror = (event) => this.fail(new Error(`The measurement stopped: ${event.message}`));
  }

  /** @param assets where the player's workers and kernels.wasm are served, ending in a slash */
  static async create(assets: string): Promise<RigProbe> {
    const reply = await fetch(`${assets}kernels.wasm`);
    if (!reply.ok)
      throw new Error(`The player's kernels could not be loaded: ${reply.status}. Start Hone anew.`);
    const wasm = await reply.arrayBuffer();
    const probe = RigProbe.bare(assets);
    await probe.ask({ kind: 'init', wasm }, [wasm]);
    return probe;
  }

  // One that measures nothing, but can be kept busy.
  private static bare(assets: string): RigProbe {
    const worker = new Worker(`${assets}rig.js`, { type: 'module', name: 'rig' });
    return new RigProbe(assets, worker, channel(worker));
  }

  async kernels(rounds: number): Promise<readonly KernelTimes[]> {
    return (await this.ask({ kind: 'kernels', rounds })).times;
  }

  /** Lets what is shown be seen: `shows` and `presentation` measure what playing costs only then. */
  async showOn(canvas: HTMLCanvasElement): Promise<void> {
    const offscreen = canvas.transferControlToOffscreen();
    await this.ask({ kind: 'canvas', canvas: offscreen }, [offscreen]);
  }

  async shows(sizes: readonly FrameSize[], rounds: number): Promise<readonly ShowTimes[]> {
    return (await this.ask({ kind: 'shows', sizes, rounds })).times;
  }

  /**
   * Decodes a file flat out for some seconds with one or several decoders.
   * @param starts whether first pictures are timed as well
   */
  async decode(url: string, seconds: number, decoders: number, starts = false): Promise<DecodeTimes> {
    return (await this.ask({ kind: 'decode', url, seconds, decoders, starts })).times;
  }

  async graphics(rounds: number): Promise<GraphicsTimes> {
    return (await this.ask({ kind: 'graphics', rounds })).times;
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
        const working = others.map(async (other) => (await other.ask({ kind: 'work', ms })).pieces);
        const [pictures, ...done] = await Promise.all([showing, ...working]);
        return { pictures, pieces: done.reduce((sum, each) => sum + each, 0) };
      };
      const shown = async (seen: boolean): Promise<number> =>
        (await this.ask({ kind: 'showing', size, ms, seen })).pictures;
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
    this.fail(new Error('The measurement was cancelled.'));
  }

  private ask<K extends RigRequest['kind']>(
    request: Extract<RigRequest, { kind: K }>,
    transfer: Transferable[] = [],
  ): Promise<Extract<RigReply, { kind: K }>> {
    const number = this.next++;
    return new Promise((resolve, reject) => {
      this.waiting.set(number, { resolve: resolve as (reply: RigReply) => void, reject });
      this.port.send({ ...(request as RigRequest), number }, transfer);
    });
  }

  private receive(reply: NumberedReply): void {
    const waiting = this.waiting.get(reply.number);
    this.waiting.delete(reply.number);
    if (reply.kind === 'failed') waiting?.reject(new Error(reply.message));
    else waiting?.resolve(reply);
  }

  private fail(error: Error): void {
    for (const { reject } of this.waiting.values()) reject(error);
    this.waiting.clear();
  }
}
