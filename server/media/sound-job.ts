import { mkdir, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { keepsDecodedSound, stereoFilter, type SourceFacts } from '@hone/core/media';
import { toNumber } from '@hone/core/time';
import { inputArguments, type MediaInput } from '../ffmpeg/input.js';
import { fileArgument, runFfmpeg, runTool } from '../ffmpeg/process.js';
import type { JobHandler } from '../jobs/queue.js';
import { writeAside } from '../store/aside.js';
import type { SourceStore } from './source-store.js';

const SAMPLE_RATE = 48_000;
export const PEAKS_PER_SECOND = 100;
const PEAKS_SHARE = 0.6;

export const peaksPath = (folder: string, id: string): string => join(folder, `${id}.peaks`);
export const soundPath = (folder: string, id: string): string => join(folder, `${id}.wav`);

/** Prepares the sound of a source: its peaks, and decoded sound where the player would be held up. */
export function soundHandler(store: SourceStore, ffmpeg: string, folder: string): JobHandler {
  return {
    kind: 'sound',
    lane: 'light',
    priority: 5,
    async run({ job, signal, progress }) {
      const row = await store.readable(job.subjectId);
      const { facts } = row;
      if (!facts?.sound) return;
      await mkdir(folder, { recursive: true });
      const { peaks, timesRealTime } = await readPeaks(ffmpeg, row, facts, signal, (done) =>
        progress(PEAKS_SHARE * done),
      );
      await writeAside(peaksPath(folder, row.id), (aside) => writeFile(aside, peaks));
      const decoded = keepsDecodedSound(facts, timesRealTime);
      if (decoded) await decodeSound(ffmpeg, row, facts, soundPath(folder, row.id), signal);
      else await rm(soundPath(folder, row.id), { force: true });
      await store.change(row, { sound: { peaksPerSecond: PEAKS_PER_SECOND, timesRealTime, decoded } });
    },
  };
}

// Zero is where the picture begins, as everywhere.
const fromZero = (facts: SourceFacts): string =>
  `asetpts=PTS-${toNumber(facts.pictureStart).toFixed(9)}/TB,aresample=${SAMPLE_RATE}:first_pts=0`;

/**
 * The loudest sample of each hundredth of a second, 0 to 255.
 * @returns the peaks, and how many seconds of sound were decoded in one
 */
export async function readPeaks(
  ffmpeg: string,
  input: MediaInput,
  facts: SourceFacts,
  signal?: AbortSignal,
  onProgress: (done: number) => void = () => undefined,
): Promise<{ peaks: Uint8Array; timesRealTime: number }> {
  const perPeak = SAMPLE_RATE / PEAKS_PER_SECOND;
  const expected = Math.ceil(toNumber(facts.duration) * PEAKS_PER_SECOND);
  let peaks = new Uint8Array(expected + PEAKS_PER_SECOND);
  let count = 0;
  let samples = 0;
  let loudest = 0;
  let odd: Buffer = Buffer.alloc(0);
  const started = performance.now();
  const take = (chunk: Buffer): void => {
    const bytes = odd.length ? Buffer.concat([odd, chunk]) : chunk;
    const whole = bytes.length & ~1;
    for (let at = 0; at < whole; at += 2) {
      const level = Math.abs(bytes.readInt16LE(at));
      if (level > loudest) loudest = level;
      if (++samples % perPeak === 0) push();
    }
    odd = bytes.subarray(whole);
    onProgress(Math.min(1, count / Math.max(1, expected)));
  };
  const push = (): void => {
    if (count === peaks.length) {
      const larger = new Uint8Array(2 * peaks.length);
      larger.set(peaks);
      peaks = larger;
    }
    peaks[count++] = Math.min(255, Math.round(loudest / 128));
    loudest = 0;
  };
  const args = ['-map', '0:a:0', '-vn', '-af', fromZero(facts), '-ac', '1', '-f', 's16le', 'pipe:1'];
  await runTool(ffmpeg, ['-v', 'error', '-nostdin', '-copyts', ...inputArguments(input), ...args], {
    signal,
    onOutput: take,
  });
  if (samples % perPeak) push();
  const seconds = samples / SAMPLE_RATE;
  const elapsed = Math.max(1e-3, (performance.now() - started) / 1000);
  return { peaks: peaks.slice(0, count), timesRealTime: seconds / elapsed };
}

async function decodeSound(
  ffmpeg: string,
  input: MediaInput,
  facts: SourceFacts,
  path: string,
  signal: AbortSignal,
): Promise<void> {
  const args = [
    '-map',
    '0:a:0',
    '-vn',
    '-af',
    `${fromZero(facts)},${stereoFilter(facts.sound!)}`,
    '-c:a',
    'pcm_s16le',
    '-f',
    'wav',
  ];
  const decode = ['-v', 'error', '-copyts', ...inputArguments(input), ...args];
  await writeAside(path, (aside) => runFfmpeg(ffmpeg, [...decode, fileArgument(aside)], { signal }));
}
