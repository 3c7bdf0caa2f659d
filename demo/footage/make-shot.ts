import { createCanvas } from '@napi-rs/canvas';
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { rename, rm } from 'node:fs/promises';
import type { Writable } from 'node:stream';
import { parentPort, workerData } from 'node:worker_threads';
import { parseRational, toNumber } from '@hone/core/time';
import { attemptPath } from '@hone/server';
import { STAGE } from './scene.js';
import { SHOTS, type Shot } from './shots.js';
import { SOUND_RATE, voice, water } from './sound.js';

/** Request to the worker. */
export interface ShotOrder {
  readonly file: string;
  readonly path: string;
  readonly ffmpeg: string;
}

/** Draws a shot frame by frame into ffmpeg, in a worker, so that the server stays responsive. */
async function makeShot(
  shot: Shot,
  { path, ffmpeg }: ShotOrder,
  progress: (done: number) => void,
): Promise<void> {
  const aside = attemptPath(path);
  const args = ['-v', 'error', '-nostdin', '-y', ...inputs(shot), ...outputs(shot), '-f', 'mp4', aside];
  const pipes = ['ignore', 'ignore', 'inherit', 'pipe', 'pipe'] as const;
  const child = spawn(ffmpeg, args, { stdio: [...pipes] });
  const ended = once(child, 'close') as Promise<[number | null]>;
  const failed = once(child, 'error').then(([error]) => Promise.reject(error as Error));
  try {
    await Promise.race([
      failed,
      Promise.all([
        feedPicture(shot, child.stdio[3] as Writable, progress),
        feedSound(shot, child.stdio[4] as Writable),
      ]),
    ]);
    const [code] = await Promise.race([ended, failed]);
    if (code !== 0) throw new Error(`ffmpeg could not make ${shot.file}.`);
    if (shot.turned) await turn(aside, shot, ffmpeg);
    await rename(aside, path);
  } finally {
    await rm(aside, { force: true });
  }
}

// ffmpeg writes how a picture is turned only when it copies it.
async function turn(path: string, shot: Shot, ffmpeg: string): Promise<void> {
  const turned = `${path}.turned`;
  const said = [
    '-metadata:s:v:0',
    `rotate=${90 * shot.turned!}`,
    '-fflags',
    '+bitexact',
    '-movflags',
    '+faststart',
  ];
  const args = ['-v', 'error', '-nostdin', '-y', '-i', path, '-c', 'copy', ...said, '-f', 'mp4', turned];
  const child = spawn(ffmpeg, args, { stdio: ['ignore', 'ignore', 'inherit'] });
  const [code] = (await once(child, 'close')) as [number | null];
  if (code !== 0) throw new Error(`ffmpeg could not turn ${shot.file}.`);
  await rename(turned, path);
}

function inputs(shot: Shot): string[] {
  const picture = [
    '-f',
    'rawvideo',
    '-pix_fmt',
    'rgba',
    '-s',
    `${STAGE.width}x${STAGE.height}`,
    '-r',
    shot.rate,
    '-i',
    'pipe:3',
  ];
  const sound = ['-f', 'f32le', '-ar', String(SOUND_RATE), '-ac', '2', '-i', 'pipe:4'];
  return [...(shot.scene ? picture : []), ...(shot.sound ? sound : [])];
}

function outputs(shot: Shot): string[] {
  const aac = ['-c:a', 'aac', '-b:a', '160k'];
  if (!shot.scene) return aac;
  const filters = [
    ...(shot.thinning ? [shot.thinning] : []),
    `scale=${shot.width}:${shot.height}:flags=bilinear:out_color_matrix=bt709:out_range=tv`,
    'format=yuv420p',
    ...(shot.grain ? [`noise=c0s=${shot.grain}:c0f=t:c0_seed=7`] : []),
  ];
  return [
    ...[
      '-vf',
      filters.join(','),
      ...(shot.thinning ? ['-fps_mode', 'vfr'] : []),
      ...shot.encoder,
      '-pix_fmt',
      'yuv420p',
    ],
    ...['-colorspace', 'bt709', '-color_primaries', 'bt709', '-color_trc', 'bt709', '-color_range', 'tv'],
    ...(shot.sound ? aac : ['-an']),
    ...['-fflags', '+bitexact', '-movflags', '+faststart'],
  ];
}

async function feedPicture(shot: Shot, pipe: Writable, progress: (done: number) => void): Promise<void> {
  if (!shot.scene) return void pipe.end();
  const rate = toNumber(parseRational(shot.rate)!);
  const frames = Math.round(shot.seconds * rate);
  const canvas = createCanvas(STAGE.width, STAGE.height);
  const context = canvas.getContext('2d');
  for (let frame = 0; frame < frames; frame++) {
    shot.scene(context, frame / rate);
    if (!pipe.write(canvas.data())) await once(pipe, 'drain');
    progress((frame + 1) / frames);
  }
  pipe.end();
}

async function feedSound(shot: Shot, pipe: Writable): Promise<void> {
  if (!shot.sound) return void pipe.end();
  const samples = shot.sound === 'water' ? water(shot.seconds, 11) : voice(shot.seconds, 23);
  const bytes = Buffer.from(samples.buffer);
  for (let at = 0; at < bytes.length; at += 1 << 18) {
    if (!pipe.write(bytes.subarray(at, at + (1 << 18)))) await once(pipe, 'drain');
  }
  pipe.end();
}

const order = workerData as ShotOrder;
const shot = SHOTS.find((candidate) => candidate.file === order.file);
if (!shot) throw new Error(`There is no shot ${order.file}.`);
await makeShot(shot, order, (done) => parentPort?.postMessage(done));
