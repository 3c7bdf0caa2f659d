import { FRAME_HEADER_BYTES, readFrameHeader } from '@hone/core/media';
import { RESTART_SECONDS } from '@hone/core/pacing';
import type { FrameSize } from '@hone/core/timeline';
import { planarBytes } from '../shared/picture.js';
import { StreamedFrameSource, type StreamedFrame } from './streamed-frame-source.js';

/** Frames that the server's ffmpeg decodes and scales, read from a stream that never ends before the file does. */
export class ServerFrameSource extends StreamedFrameSource {
  readonly decoder = 'server';
  private readonly query: string;

  /**
   * @param url address of the source's frames
   * @param size in which they are wanted
   * @param hasAlpha whether a plane of alpha follows each picture
   */
  constructor(
    private readonly url: string,
    { width, height }: FrameSize,
    hasAlpha = false,
  ) {
    const alphaBytes = hasAlpha ? width * height : 0;
    super({ width, height }, FRAME_HEADER_BYTES + planarBytes(width, height) + alphaBytes);
    this.query = `width=${width}&height=${height}`;
  }

  entryAfter(seconds: number): Promise<number | undefined> {
    return Promise.resolve(seconds + RESTART_SECONDS);
  }

  protected ask(seconds: number, until: number | undefined, signal: AbortSignal): Promise<Response> {
    const end = until === undefined ? '' : `&until=${until.toFixed(6)}`;
    return fetch(`${this.url}?from=${seconds.toFixed(6)}&${this.query}${end}`, { signal });
  }

  protected frameIn(bytes: Uint8Array): StreamedFrame {
    const { seconds, decodeMs, readMs } = readFrameHeader(bytes);
    return { seconds, decodeMs, readMs, bytes: 0, planes: bytes.subarray(FRAME_HEADER_BYTES) };
  }
}
