import { evenSide, type FrameSize } from '@hone/core/timeline';
import { Control } from '../shared/control.js';
import { loadKernels, type Kernels } from '../shared/kernels.js';
import { messageOf } from '../shared/message-of.js';
import {
  alphasAt,
  isVideo709,
  planarAt,
  planarBytes,
  recodeCoefficients,
  VIDEO_BT709,
  type ColourCoding,
} from '../shared/picture.js';
import {
  channel,
  type DecodeReply,
  type DecodeRequest,
  type DecodeRoom,
  type StreamSpec,
} from '../shared/messages.js';
import { isUncompressed } from '../plan.js';
import { BusyTracker } from './decode-clock.js';
import { EffectFiles } from './effect-files.js';
import { PictureStages } from './picture-stages.js';
import { PacketFrameSource } from './packet-frame-source.js';
import { PictureFiles } from './picture-file.js';
import { ServerFrameSource } from './server-frame-source.js';
import { UncompressedFrameSource } from './uncompressed-frame-source.js';
import { PictureStream } from './picture-stream.js';
import type { Reduce } from './stream-output.js';
import type { DecodedFrame, FinishedPicture } from './frame-source.js';
import { reduceFrame } from './reduce-frame.js';
import { Workspace } from './workspace.js';

/** The worker that reads, decodes and scales. It is driven by the engine over a port that the page hands it. */
class DecodeWorker {
  private readonly streams = new Map<number, PictureStream>();
  /** Files that the browser did not decode. */
  private readonly refused = new Set<string>();
  private workspace: Workspace | undefined;
  private readonly effectFiles = new EffectFiles();
  private readonly stages: PictureStages;
  private readonly busy = new BusyTracker();
  /** The workspace holds one frame at a time. */
  private reducing: Promise<unknown> = Promise.resolve();

  constructor(
    private readonly kernels: Kernels,
    private readonly memory: WebAssembly.Memory,
    private readonly control: Control,
    private readonly files: PictureFiles,
    private readonly send: (reply: DecodeReply) => void,
  ) {
    this.stages = new PictureStages(memory, kernels, this.effectFiles);
  }

  handle(request: DecodeRequest): void {
    switch (request.kind) {
      case 'init':
        break;
      case 'workspace':
        this.setRoom(request.room);
        break;
      case 'open':
        void this.open(request.stream);
        break;
      case 'grant':
        this.streams.get(request.stream)?.grant(request.address, request.isSpare);
        break;
      case 'skip':
        this.streams.get(request.stream)?.skipTo(request.to);
        break;
      case 'close':
        this.close(request.stream);
    }
  }

  private setRoom({ address, bytes, effects }: DecodeRoom): void {
    this.workspace = new Workspace(this.memory, this.kernels, address, bytes);
    this.stages.setRoom(effects.address, effects.betweenBytes, effects.bytes);
  }

  private async open(spec: StreamSpec): Promise<void> {
    const stream = new PictureStream(spec, this.control, (...args) => this.reduce(...args), this.send);
    this.streams.set(spec.id, stream);
    try {
      await this.effectFiles.prepare(spec.stages.flatMap(({ effects }) => effects));
      await this.runFrom(stream, spec);
    } catch (error) {
      const message = messageOf(error);
      if (this.streams.has(spec.id)) this.send({ kind: 'failed', stream: spec.id, message });
    }
  }

  // What the browser turns out not to decode, the server does.
  private async runFrom(stream: PictureStream, spec: StreamSpec): Promise<void> {
    const { choice, url, framesUrl, serverOnly, codec, profile, path, size, rate, frameCount } = spec.file;
    if (isUncompressed(spec.file))
      return stream.run(new UncompressedFrameSource(url, size, rate, frameCount));
    if (framesUrl === null || (serverOnly === null && !this.refused.has(url))) {
      try {
        const isIntra = choice !== 'original';
        const fellBack = (reason: string): void =>
          this.send({ kind: 'fell back', stream: spec.id, codec, profile, reason });
        const file = await this.files.get(url);
        await stream.run(new PacketFrameSource(file, this.busy, isIntra, { path, fellBack }));
        return;
      } catch (error) {
        if (framesUrl === null || !this.streams.has(spec.id)) throw error;
        this.refused.add(url);
      }
    }
    if (this.streams.has(spec.id))
      await stream.run(new ServerFrameSource(framesUrl, servedSize(spec), spec.file.hasAlpha));
  }

  private close(id: number): void {
    this.streams.get(id)?.close();
    this.streams.delete(id);
    // A reduction under way still writes to its slot; only after it may the slot be used again.
    void this.reducing.finally(() => this.send({ kind: 'closed', stream: id }));
  }

  private reduce(...[decoded, spec, address, frame]: Parameters<Reduce>): ReturnType<Reduce> {
    const result = this.reducing.then(async () => {
      // The time in which others were reduced before it is no part of what it costs.
      const begin = performance.now();
      const coding = await this.reduced(decoded, spec, address);
      const start = performance.now();
      const staged = { stages: spec.stages, frame: spec.frame, hasAlpha: spec.file.hasAlpha };
      this.stages.apply(String(spec.id), staged, frame - spec.clipStart, address);
      const end = performance.now();
      this.busy.ended(end);
      const effectsMs = spec.stages.some(({ effects }) => effects.length) ? end - start : 0;
      return { coding, scaleMs: start - begin, effectsMs };
    });
    this.reducing = result.catch(() => undefined);
    return result;
  }

  private takeFinished({ size, planes }: FinishedPicture, spec: StreamSpec, address: number): void {
    const { target, file, scaling } = spec;
    const bytes = new Uint8Array(this.memory.buffer);
    const isSame = size.width === target.width && size.height === target.height;
    if (isSame) bytes.set(planes, address);
    else {
      if (!this.workspace) throw new Error('The decode worker has no room yet.');
      const staging = this.workspace.pictures;
      bytes.set(planes, staging);
      const from = planarAt(staging, size.width, size.height);
      planarAt(address, target.width, target.height).forEach((plane, index) => {
        this.workspace!.fit(from[index]!, plane, scaling);
      });
      if (file.hasAlpha)
        this.workspace.fit(alphasAt(staging, size)[0], alphasAt(address, target)[0], scaling);
    }
    if (file.hasAlpha) this.halveAlpha(address, target);
  }

  // The alpha of chroma follows that of luma.
  private halveAlpha(address: number, { width, height }: FrameSize): void {
    const alpha = address + planarBytes(width, height);
    this.kernels.reduceBox(alpha, width, alpha + width * height, width >> 1, height >> 1, 2);
  }

  private async reduced(
    decoded: DecodedFrame['frame'],
    spec: StreamSpec,
    address: number,
  ): Promise<ColourCoding> {
    if ('planes' in decoded) {
      this.takeFinished(decoded, spec, address);
      return VIDEO_BT709;
    }
    if (!this.workspace) throw new Error('The decode worker has no room yet.');
    const { target, file, scaling } = spec;
    const reduction = { target, quarters: file.quarters, address, kind: scaling, stacked: file.stacked };
    const coding = await reduceFrame(decoded, reduction, this.memory, this.kernels, this.workspace);
    if (!spec.recoded || isVideo709(coding)) return coding;
    const [luma, blue, red] = planarAt(address, target.width, target.height);
    const numbers = recodeCoefficients(coding);
    this.kernels.recodePicture(
      ...([luma.address, blue.address, red.address, target.width, target.height] as const),
      ...numbers,
    );
    return VIDEO_BT709;
  }
}

/** The size in which the server is asked for frames: never more pixels than the source has. */
function servedSize({ target, file: { shownSize } }: StreamSpec): FrameSize {
  return target.width * target.height > shownSize.width * shownSize.height
    ? { width: evenSide(shownSize.width), height: evenSide(shownSize.height) }
    : target;
}

globalThis.onmessage = (event: MessageEvent<MessagePort>) => {
  const port = channel<DecodeReply, DecodeRequest>(event.data);
  port.onMessage((request) => {
    if (request.kind !== 'init') throw new Error('A decode worker must be set up first.');
    void loadKernels(request.wasm, request.memory).then((kernels) => {
      const control = new Control(request.control);
      const files = new PictureFiles(request.readAheadBytes);
      const worker = new DecodeWorker(kernels, request.memory, control, files, (reply) => port.send(reply));
      port.onMessage((later) => worker.handle(later));
      for (const early of waiting.splice(0)) worker.handle(early);
    });
    const waiting: DecodeRequest[] = [];
    port.onMessage((early) => waiting.push(early));
  });
};
