import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { CODE_CELLS, CODE_SHARE, codeBits } from './frame-code.js';

/** A small test clip that carries its frame number in every picture. */
export interface CodedClip {
  readonly path: string;
  readonly source: number;
  readonly width: number;
  readonly height: number;
  /** As ffmpeg reads it. */
  readonly rate: string;
  readonly frames: number;
  /** ffmpeg's arguments for encoder and container. */
  readonly encoder?: readonly string[];
  /** A filter before the encoder. */
  readonly filter?: string;
  readonly sound?: boolean;
}

const DEFAULT_ENCODER = [
  '-c:v',
  'libx264',
  '-preset',
  'veryfast',
  '-crf',
  '16',
  '-g',
  '24',
  '-bf',
  '2',
  '-f',
  'mp4',
];

/** @throws Error when ffmpeg fails */
export async function makeCodedClip(clip: CodedClip, ffmpeg = 'ffmpeg'): Promise<void> {
  const { width, height, rate, frames, path } = clip;
  const seconds = frames / (Number(rate.split('/')[0]) / Number(rate.split('/')[1] ?? 1));
  const picture = [
    '-f',
    'rawvideo',
    '-pix_fmt',
    'yuv420p',
    '-s',
    `${width}x${height}`,
    '-r',
    rate,
    '-i',
    'pipe:0',
  ];
  const sound = clip.sound
    ? ['-f', 'lavfi', '-t', String(seconds), '-i', 'sine=frequency=330:sample_rate=48000']
    : [];
  const filter = clip.filter ? ['-vf', clip.filter, '-fps_mode', 'vfr'] : [];
  const args = [
    '-v',
    'error',
    '-y',
    ...picture,
    ...sound,
    ...filter,
    '-pix_fmt',
    'yuv420p',
    ...(clip.encoder ?? DEFAULT_ENCODER),
    path,
  ];
  const child = spawn(ffmpeg, args, { stdio: ['pipe', 'inherit', 'inherit'] });
  const closed = once(child, 'close') as Promise<[number]>;
  for (let frame = 0; frame < frames; frame++) {
    if (!child.stdin.write(codedFrame(width, height, frame, clip.source))) await once(child.stdin, 'drain');
  }
  child.stdin.end();
  const [code] = await closed;
  if (code !== 0) throw new Error(`ffmpeg could not make ${path}.`);
}

/** One frame as planes of 8-bit 4:2:0: the strip above, and below it a pattern that moves with each frame. */
export function codedFrame(width: number, height: number, frame: number, source: number): Buffer {
  const half = { width: width / 2, height: height / 2 };
  const picture = Buffer.alloc(width * height + 2 * half.width * half.height, 128);
  const bits = codeBits({ frame, source });
  const strip = Math.ceil(height * CODE_SHARE);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const cell = Math.floor((x * CODE_CELLS) / width);
      const pattern = 40 + ((x + 2 * y + 7 * frame + 31 * source) % 170);
      picture[y * width + x] = y < strip ? (bits[cell] ? 235 : 16) : pattern;
    }
  }
  for (let y = Math.ceil(strip / 2); y < half.height; y++) {
    const row = width * height + y * half.width;
    picture.fill(110 + ((y + frame) % 40), row, row + half.width);
  }
  return picture;
}
