import type { FrameSize } from '@hone/core/timeline';
import { planarAt, planarBytes, VIDEO_BT709 } from '../shared/picture.js';
import type { ReadyPicture } from './ready-picture.js';

/** Most pictures of missing sources that are kept; beyond them, the first is drawn anew. */
export const MOST_SLATES = 6;

/** Grey stripes with a name, for sources that are not there to be played. */
export class Slates {
  private kept = new Map<string, ReadyPicture>();
  private next = 0;

  constructor(private readonly memory: WebAssembly.Memory) {}

  /** Forgets all slates, since their memory is reused. */
  forget(): void {
    this.kept.clear();
    this.next = 0;
  }

  /** @param rooms addresses of room for a frame each */
  get(name: string, size: FrameSize, rooms: readonly number[]): ReadyPicture | undefined {
    if (rooms.length === 0) return undefined;
    const key = `${name} ${size.width} ${size.height}`;
    const known = this.kept.get(key);
    if (known) return known;
    const address = rooms[this.next++ % rooms.length]!;
    for (const [other, picture] of this.kept) if (picture.address === address) this.kept.delete(other);
    this.draw(name, size, address);
    const pose = { raster: size, natural: size, placement: { x: 0, y: 0, ...size } };
    const picture: ReadyPicture = {
      address,
      pose,
      effects: [],
      coding: VIDEO_BT709,
      decoder: 'browser',
      file: null,
      isBare: false,
      hasAlpha: false,
    };
    this.kept.set(key, picture);
    return picture;
  }

  private draw(name: string, { width, height }: FrameSize, address: number): void {
    const context = new OffscreenCanvas(width, height).getContext('2d', { willReadFrequently: true })!;
    context.fillStyle = '#404040';
    context.fillRect(0, 0, width, height);
    context.strokeStyle = '#4c4c4c';
    context.lineWidth = height / 24;
    context.beginPath();
    for (let x = -height; x < width; x += height / 6) {
      context.moveTo(x, height);
      context.lineTo(x + height, 0);
    }
    context.stroke();
    context.fillStyle = '#e0e0e0';
    context.textAlign = 'center';
    context.font = `600 ${Math.max(8, height / 14)}px sans-serif`;
    context.fillText('Not there to be played', width / 2, height * 0.48, width * 0.9);
    context.font = `${Math.max(7, height / 20)}px sans-serif`;
    context.fillText(name, width / 2, height * 0.58, width * 0.9);
    const { data } = context.getImageData(0, 0, width, height);
    const bytes = new Uint8Array(this.memory.buffer, address, planarBytes(width, height));
    const [luma] = planarAt(0, width, height);
    const count = luma.width * luma.height;
    // It is grey, so that luma says all: 16 to 235.
    for (let at = 0; at < count; at++) bytes[at] = Math.round(16 + (219 * data[4 * at]!) / 255);
    bytes.fill(128, count);
  }
}
