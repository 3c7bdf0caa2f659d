/** Bytes before each raw frame that the server sends to the player: a 64-bit and three 32-bit numbers, little-endian. */
export const FRAME_HEADER_BYTES = 20;

export interface FrameHeader {
  /** From the first frame of the source. */
  readonly seconds: number;
  /** ms that decoding, deinterlacing and scaling the frame took. */
  readonly decodeMs: number;
  /** ms that a simulated drive held it up. */
  readonly readMs: number;
  /** Bytes of the frame that follow. */
  readonly bytes: number;
}

export function writeFrameHeader({ seconds, decodeMs, readMs, bytes }: FrameHeader): Uint8Array {
  const header = new Uint8Array(FRAME_HEADER_BYTES);
  const view = new DataView(header.buffer);
  view.setFloat64(0, seconds, true);
  view.setFloat32(8, decodeMs, true);
  view.setFloat32(12, readMs, true);
  view.setUint32(16, bytes, true);
  return header;
}

export function readFrameHeader(header: Uint8Array): FrameHeader {
  const view = new DataView(header.buffer, header.byteOffset, FRAME_HEADER_BYTES);
  return {
    seconds: view.getFloat64(0, true),
    decodeMs: view.getFloat32(8, true),
    readMs: view.getFloat32(12, true),
    bytes: view.getUint32(16, true),
  };
}
