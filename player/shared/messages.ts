import type { ComposeProcessor } from '@hone/core/levers';
import type { PictureShares } from '@hone/core/machine';
import type { FrameRange, FrameSize } from '@hone/core/timeline';
import type { Rational } from '@hone/core/time';
import type { DecodeRange, KeptRange } from '@hone/core/pacing';
import type { EffectKind, SoundPart, Stage } from '@hone/core/render';
import type { ResampleKind } from '../decode/resample-table.js';
import type { MediaFile, PreviewPlan } from '../plan.js';
import type { ColourCoding } from './picture.js';

/** A decode worker's own part of the shared memory. Addresses are bytes. */
export interface DecodeRoom {
  readonly address: number;
  readonly bytes: number;
  /** For the effects of pictures; its first part is for what happens between two stages. */
  readonly effects: { readonly address: number; readonly betweenBytes: number; readonly bytes: number };
}

/** Engine to decode worker. */
export type DecodeRequest =
  | {
      kind: 'init';
      wasm: ArrayBuffer;
      memory: WebAssembly.Memory;
      control: SharedArrayBuffer;
      readAheadBytes: number;
    }
  | { kind: 'workspace'; room: DecodeRoom }
  | { kind: 'open'; stream: StreamSpec }
  /** Room for one more picture, of the passage or made in passing. */
  | { kind: 'grant'; stream: number; address: number; isSpare?: boolean }
  /** Continue at a later frame; earlier ones are no longer needed. */
  | { kind: 'skip'; stream: number; to: number }
  | { kind: 'close'; stream: number };

export interface StreamSpec {
  readonly id: number;
  readonly file: MediaFile;
  /** Timeline frames [from, to) that are wanted. */
  readonly from: number;
  readonly to: number;
  readonly clipStart: number;
  readonly sourceIn: Rational;
  readonly speed: Rational;
  readonly timelineRate: Rational;
  /** Size in which the picture is made from the source: the raster of the first stage. */
  readonly target: FrameSize;
  /** Size of the frame that it is seen in. */
  readonly frame: FrameSize;
  readonly scaling: ResampleKind;
  /** Whether its samples must be those of BT.709 in limited range, to be worked on or laid over others. */
  readonly recoded: boolean;
  /** The stages of its effects. What the last one gives out is cut and put in its place by the engine. */
  readonly stages: readonly [Stage, ...Stage[]];
  /** Whether frames that are too late are dropped unscaled and a decoder that is behind jumps ahead. */
  readonly live: boolean;
  /** Frames of a run, where it is played backwards. */
  readonly turned: number;
  /** Frames of the timeline that a picture stands for. */
  readonly hold: number;
  /** Frames of the source that other clips show in the same way: made in passing, where there is room to spare. */
  readonly inPassing: readonly FrameRange[];
}

/** Costs of a picture, ms. */
export interface PictureCost {
  readonly readMs: number;
  readonly decodeMs: number;
  readonly scaleMs: number;
  readonly effectsMs: number;
  readonly decoded: number;
}

/** A decoder of the browser that was lost while it decoded. */
export interface LostDecoder {
  readonly codec: string;
  readonly profile: string;
  /** In the browser's words. */
  readonly reason: string;
}

/** Decode worker to engine. */
export type DecodeReply =
  | {
      kind: 'picture';
      stream: number;
      frame: number;
      address: number;
      /** True when the slot already holds the picture of the frame before. */
      repeated: boolean;
      coding: ColourCoding;
      decoder: Decoder;
      cost: PictureCost;
    }
  /** A picture that was made in passing, of a frame of the source. */
  | {
      kind: 'passing';
      stream: number;
      sourceFrame: number;
      address: number;
      coding: ColourCoding;
      decoder: Decoder;
      /** Time that decoding and making it took; the log has it among the costs of the passage. */
      makeMs: number;
    }
  /** Frames [from, to) will not come. */
  | { kind: 'skipped'; stream: number; from: number; to: number; cost: PictureCost }
  /** A decoder was lost; software goes on in its place. */
  | ({ kind: 'fell back'; stream: number } & LostDecoder)
  | { kind: 'closed'; stream: number }
  | { kind: 'failed'; stream: number; message: string };

/** Page to engine. */
export type EngineRequest =
  | {
      kind: 'init';
      canvas: OffscreenCanvas;
      wasm: ArrayBuffer;
      memory: WebAssembly.Memory;
      control: SharedArrayBuffer;
      decoders: MessagePort[];
      sound: MessagePort;
      shares: PictureShares;
    }
  | { kind: 'plan'; plan: PreviewPlan }
  | {
      kind: 'play';
      from: number;
      to: number;
      /** Ranges of the decode plan; undefined decodes everything. */
      ranges: readonly DecodeRange[] | undefined;
      pressedAt: number;
      clock: 'sound' | 'system';
      latencyMs: number;
    }
  | { kind: 'flatOut'; from: number; to: number }
  | { kind: 'shuttle'; speed: number }
  | { kind: 'pause' }
  | { kind: 'seek'; frame: number }
  | { kind: 'stop filling' };

/** Decoder of a picture. */
export type Decoder = 'browser' | 'server';

/** Origin and decoder of a picture on the canvas. */
export interface PictureOrigin {
  readonly choice: MediaFile['choice'] | 'missing';
  /** Pixels of the file's picture; null where there is no file. */
  readonly pixels: FrameSize | null;
  readonly decoder: Decoder | null;
}

/** Origins of the picture on the canvas. */
export interface ShownPixels {
  readonly size: FrameSize;
  readonly from: readonly PictureOrigin[];
  readonly composedOn: ComposeProcessor;
  /** Effects that the preview leaves out. */
  readonly leftOut: readonly EffectKind[];
}

export type PlayerState = 'still' | 'starting' | 'playing' | 'shuttling';

/** Facts of a run beside its frames. */
export interface MeasuredFacts {
  readonly leversMoved: boolean;
  readonly clock: 'sound' | 'system';
  readonly sound: { readonly mixMs: number; readonly gapSamples: number };
  /** Sources whose pictures the server decoded. */
  readonly serverDecoded: readonly string[];
  /** Ranges of the decode plan that the run followed; undefined without one. */
  readonly ranges: readonly DecodeRange[] | undefined;
  /** Frames whose pictures were kept from an earlier pass. */
  readonly kept: readonly KeptRange[];
  /** When play was pressed, ms of the epoch. */
  readonly pressedAt: number;
}

/** Frames that the last run dropped and memory has room for: those whose pictures are there, of all. */
export interface FillingProgress {
  readonly done: number;
  readonly all: number;
  readonly state: 'running' | 'finished' | 'stopped';
}

/** Engine to page. */
export type EngineReply =
  | { kind: 'state'; state: PlayerState; frame: number }
  /** The requested picture at rest is on the canvas. */
  | { kind: 'still'; frame: number; size: FrameSize }
  | { kind: 'pixels'; pixels: ShownPixels }
  /** A run begins; its log is written here during it. */
  | { kind: 'log'; firstFrame: number; buffer: SharedArrayBuffer }
  | { kind: 'run'; firstFrame: number; log: Float32Array; facts: MeasuredFacts }
  | { kind: 'flatOut'; frames: number; ms: number }
  | { kind: 'filling'; progress: FillingProgress }
  | { kind: 'fell back'; lost: LostDecoder }
  /** The graphics processor was lost, or is not to be had; the processor composes in its place. */
  | { kind: 'lost graphics'; reason: string }
  | { kind: 'failed'; message: string };

/** Engine to sound worker. */
export type SoundRequest =
  | { kind: 'init'; control: SharedArrayBuffer }
  | { kind: 'plan'; parts: readonly SoundPart[]; urls: Readonly<Record<string, string>>; rate: Rational }
  | { kind: 'start'; epoch: number; from: number }
  | { kind: 'stop' };

/** Sends and receives messages of known types over a port or a worker's global scope. */
export interface Channel<Out, In> {
  send(message: Out, transfer?: Transferable[]): void;
  onMessage(handler: (message: In) => void): void;
}

interface PortLike {
  postMessage(message: unknown, options: { transfer: Transferable[] }): void;
  onmessage: ((event: MessageEvent) => void) | null;
}

export function channel<Out, In>(port: PortLike): Channel<Out, In> {
  return {
    send: (message, transfer = []) => port.postMessage(message, { transfer }),
    onMessage: (handler) => {
      port.onmessage = (event: MessageEvent) => handler(event.data as In);
    },
  };
}
