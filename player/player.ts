import type { DecodeRange } from '@hone/core/pacing';
import { FrameLog } from '@hone/core/playback';
import { memoryShares, usualCeiling, type MemoryShares } from '@hone/core/machine';
import type { FrameSize } from '@hone/core/timeline';
import type { PreviewPlan } from './plan.js';
import { Control, SAMPLE_RATE } from './shared/control.js';
import { createMemory } from './shared/kernels.js';
import {
  channel,
  type Channel,
  type EngineReply,
  type EngineRequest,
  type FillingProgress,
  type LostDecoder,
  type MeasuredFacts,
  type ShownPixels,
  type PlayerState,
} from './shared/messages.js';

export interface PlayerOptions {
  /** The canvas that shows the preview; the player alone draws on it. */
  readonly canvas: HTMLCanvasElement;
  /** Where the workers and kernels.wasm are served, ending in a slash. */
  readonly assets: string;
  /** Memory and number of decode workers; derived from the machine by default. */
  readonly shares?: MemoryShares;
}

/** A run that has ended. */
export interface FinishedRun {
  readonly log: FrameLog;
  readonly facts: MeasuredFacts;
}

export interface PlayerEvents {
  state(state: PlayerState, frame: number): void;
  /** The requested picture at rest is on the canvas. */
  still(frame: number, size: FrameSize): void;
  /** The canvas has another number of pixels, or they come from elsewhere. */
  pixels(pixels: ShownPixels): void;
  /** A run begins; the log fills during it. */
  log(log: FrameLog): void;
  run(run: FinishedRun): void;
  /** After a run, pictures that it dropped are made for the next one. */
  filling(progress: FillingProgress): void;
  /** A decoder was lost; playback goes on in software. */
  fellBack(lost: LostDecoder): void;
  /** The graphics processor cannot be used any more; the processor composes on. */
  lostGraphics(reason: string): void;
  failed(message: string): void;
}

/** Time constant of a change of volume. */
const VOLUME_SECONDS = 0.015;

/** Plays a plan. All work is done in workers; this class only passes messages on. */
export class Player {
  private readonly workers: Worker[] = [];
  private readonly listeners: { [K in keyof PlayerEvents]?: PlayerEvents[K][] } = {};
  private flatDone: ((result: { frames: number; ms: number }) => void) | undefined;
  private sound: Promise<AudioContext | undefined> | undefined;
  private volume: GainNode | undefined;
  private gain = 1;
  private disposed = false;
  state: PlayerState = 'still';
  size: FrameSize = { width: 0, height: 0 };

  private constructor(
    private readonly engine: Channel<EngineRequest, EngineReply>,
    private readonly control: Control,
    private readonly assets: string,
    readonly decodeWorkers: number,
  ) {}

  /** @throws Error in a sentence when the browser lacks something that the player cannot do without */
  static async create({ canvas, assets, shares = usualShares() }: PlayerOptions): Promise<Player> {
    const lacking = lackingFeatures();
    if (lacking.length)
      throw new Error(`This browser lacks ${lacking.join(', ')}. Open Hone in a current Chromium.`);
    const reply = await fetch(`${assets}kernels.wasm`);
    if (!reply.ok)
      throw new Error(`The player's kernels could not be loaded: ${reply.status}. Start Hone anew.`);
    const wasm = await reply.arrayBuffer();
    const memory = createMemory();
    const control = Control.create();
    const count = shares.decodeWorkers;

    const worker = (name: string): Worker => new Worker(`${assets}${name}.js`, { type: 'module', name });
    const engineWorker = worker('engine');
    const engine = channel<EngineRequest, EngineReply>(engineWorker);
    const player = new Player(engine, control, assets, count);
    player.workers.push(engineWorker);
    engine.onMessage((message) => player.receive(message));
    engineWorker.onerror = (event) => player.emit('failed', `The player stopped: ${event.message}`);

    const decoders = Array.from({ length: count }, () => {
      const { port1, port2 } = new MessageChannel();
      const decoder = worker('decode');
      decoder.postMessage(port2, [port2]);
      const { readAheadBytes } = shares;
      port1.postMessage({
        kind: 'init',
        wasm: wasm.slice(0),
        memory,
        control: control.buffer,
        readAheadBytes,
      });
      player.workers.push(decoder);
      return port1;
    });
    const soundPorts = new MessageChannel();
    const soundWorker = worker('sound');
    soundWorker.postMessage({ port: soundPorts.port2, control: control.buffer }, [soundPorts.port2]);
    player.workers.push(soundWorker);

    const offscreen = canvas.transferControlToOffscreen();
    engine.send(
      {
        kind: 'init',
        canvas: offscreen,
        wasm,
        memory,
        control: control.buffer,
        decoders,
        sound: soundPorts.port1,
        shares,
      },
      [offscreen, wasm, ...decoders, soundPorts.port1],
    );
    return player;
  }

  on<K extends keyof PlayerEvents>(event: K, listener: PlayerEvents[K]): void {
    const list = (this.listeners[event] ??= []) as PlayerEvents[K][];
    list.push(listener);
  }

  /** Sets a new plan; playback continues with it. */
  setPlan(plan: PreviewPlan): void {
    this.engine.send({ kind: 'plan', plan });
  }

  /**
   * Plays timeline frames [from, to). Must first be called from a user's gesture, or the browser keeps sound silent;
   * then the system clock keeps time.
   * @param ranges of the decode plan; undefined decodes everything
   */
  async play(from: number, to: number, ranges?: readonly DecodeRange[]): Promise<void> {
    const pressedAt = performance.timeOrigin + performance.now();
    this.sound ??= this.openSound();
    const context = await this.sound;
    const running = context?.state === 'running';
    const latencyMs = 1000 * (context?.outputLatency ?? 0);
    const clock = running ? 'sound' : 'system';
    this.engine.send({ kind: 'play', from, to, ranges, pressedAt, clock, latencyMs });
  }

  /** @param gain of the preview's sound, 0 to 1; an export does not have it */
  setVolume(gain: number): void {
    this.gain = gain;
    // A jump would click.
    this.volume?.gain.setTargetAtTime(gain, this.volume.context.currentTime, VOLUME_SECONDS);
  }

  pause(): void {
    this.engine.send({ kind: 'pause' });
  }

  seek(frame: number): void {
    this.engine.send({ kind: 'seek', frame });
  }

  /** @param speed times the normal speed; negative runs backwards; silent and not measured */
  shuttle(speed: number): void {
    this.engine.send({ kind: 'shuttle', speed });
  }

  /** Leaves the pictures that the last run dropped as they are. */
  stopFilling(): void {
    this.engine.send({ kind: 'stop filling' });
  }

  /** Plays as fast as it goes, without a clock and without dropping a frame. For measurements. */
  playFlatOut(from: number, to: number): Promise<{ frames: number; ms: number }> {
    return new Promise((resolve) => {
      this.flatDone = resolve;
      this.engine.send({ kind: 'flatOut', from, to });
    });
  }

  /** Playhead in frames and fractions. Cheap to read. */
  get playhead(): number {
    return this.control.playhead;
  }

  /** Timeline frame on the canvas; -1 before the first. */
  get shownFrame(): number {
    return this.control.get('shownFrame');
  }

  dispose(): void {
    this.disposed = true;
    for (const worker of this.workers) worker.terminate();
    void this.sound?.then((context) => context?.close());
  }

  private async openSound(): Promise<AudioContext | undefined> {
    try {
      const context = new AudioContext({ sampleRate: SAMPLE_RATE, latencyHint: 'playback' });
      await context.audioWorklet.addModule(`${this.assets}worklet.js`);
      const node = new AudioWorkletNode(context, 'hone-ring-output', {
        numberOfInputs: 0,
        outputChannelCount: [2],
        processorOptions: { control: this.control.buffer },
      });
      this.volume = new GainNode(context, { gain: this.gain });
      node.connect(this.volume).connect(context.destination);
      await Promise.race([context.resume(), new Promise((resolve) => setTimeout(resolve, 300))]);
      return this.disposed ? undefined : context;
    } catch {
      // A machine without a sound device still plays, by the system clock; the run says so.
      return undefined;
    }
  }

  private receive(message: EngineReply): void {
    switch (message.kind) {
      case 'state':
        this.state = message.state;
        this.emit('state', message.state, message.frame);
        break;
      case 'still':
        this.emit('still', message.frame, message.size);
        break;
      case 'pixels':
        this.size = message.pixels.size;
        this.emit('pixels', message.pixels);
        break;
      case 'log':
        this.emit('log', new FrameLog(message.firstFrame, new Float32Array(message.buffer)));
        break;
      case 'run': {
        const log = new FrameLog(message.firstFrame, message.log);
        this.emit('run', { log, facts: message.facts });
        break;
      }
      case 'flatOut':
        this.flatDone?.({ frames: message.frames, ms: message.ms });
        this.flatDone = undefined;
        break;
      case 'filling':
        this.emit('filling', message.progress);
        break;
      case 'fell back':
        this.emit('fellBack', message.lost);
        break;
      case 'lost graphics':
        this.emit('lostGraphics', message.reason);
        break;
      case 'failed':
        this.emit('failed', message.message);
    }
  }

  private emit<K extends keyof PlayerEvents>(event: K, ...args: Parameters<PlayerEvents[K]>): void {
    for (const listener of this.listeners[event] ?? []) (listener as (...args: unknown[]) => void)(...args);
  }
}

// Browsers tell memory only roughly, and never more than eight gigabytes.
function usualShares(): MemoryShares {
  const { deviceMemory } = navigator as { deviceMemory?: number };
  return memoryShares(usualCeiling((deviceMemory ?? 4) * 2 ** 30), navigator.hardwareConcurrency);
}

function lackingFeatures(): string[] {
  const needs: [string, boolean][] = [
    ['WebCodecs', typeof VideoDecoder !== 'undefined'],
    ['shared memory', typeof SharedArrayBuffer !== 'undefined' && crossOriginIsolated],
    ['drawing in workers', typeof OffscreenCanvas !== 'undefined'],
  ];
  return needs.filter(([, there]) => !there).map(([name]) => name);
}
