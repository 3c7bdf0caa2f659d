import { median } from 'd3-array';
import { spawnSync } from 'node:child_process';
import { existsSync, renameSync, statSync } from 'node:fs';
import { mkdir } from 'node:fs/promises';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { PacketIndex } from '@hone/core/media';
import { configFrom, plainFile, probe, readPackets } from '@hone/server';

const ROUNDS = 5;
const SECONDS = 3600;

/** Reading the packet index of a file of one hour against ffprobe's own reading of the same packets. */
export async function index(): Promise<Record<string, number>> {
  const config = configFrom(process.env, fileURLToPath(new URL('../../', import.meta.url)));
  const path = await hourLong(config.ffmpeg, config.dataFolder);
  const input = plainFile(path);
  const facts = await probe(config.ffprobe, input, statSync(path).size);
  const ratios: number[] = [];
  let bytesPerPacket = 0;
  // The first round fills the system's cache for both.
  for (let round = -1; round < ROUNDS; round++) {
    const bareMs = bareRead(config.ffprobe, path);
    const start = performance.now();
    const packets = await readPackets(config.ffprobe, input, facts);
    const honeMs = performance.now() - start;
    const { length } = PacketIndex.from(packets);
    bytesPerPacket = packets.length / length;
    if (round < 0) continue;
    ratios.push(honeMs / bareMs);
    console.log(
      `round ${round + 1}: ffprobe ${bareMs.toFixed(0)} ms, Hone ${honeMs.toFixed(0)} ms, ${length} packets`,
    );
  }
  return { vsFfprobe: median(ratios)!, bytesPerPacket };
}

function bareRead(ffprobe: string, path: string): number {
  const args = [
    '-v',
    'error',
    '-select_streams',
    'v:0',
    '-show_entries',
    'packet=pts,dts,size,flags',
    '-of',
    'csv=p=0',
    path,
  ];
  const start = performance.now();
  const { status } = spawnSync('nice', ['-n', '19', ffprobe, ...args], { maxBuffer: 1 << 28 });
  if (status !== 0) throw new Error('ffprobe could not read the packets.');
  return performance.now() - start;
}

// Long groups of pictures with frames in another order, small pictures: what counts is the number of packets.
async function hourLong(ffmpeg: string, dataFolder: string): Promise<string> {
  const folder = process.env['HONE_BENCH_DATA'] ?? join(dataFolder, 'bench');
  await mkdir(folder, { recursive: true });
  const path = join(folder, 'one hour.mp4');
  if (existsSync(path)) return path;
  console.log('Making a file of one hour …');
  const source = `testsrc2=s=320x180:r=24:d=${SECONDS}`;
  const encoder = [
    '-c:v',
    'libx264',
    '-preset',
    'ultrafast',
    '-bf',
    '2',
    '-g',
    '48',
    '-crf',
    '30',
    '-pix_fmt',
    'yuv420p',
  ];
  const args = ['-v', 'error', '-y', '-f', 'lavfi', '-i', source, ...encoder, '-f', 'mp4', `${path}.part`];
  if (spawnSync(ffmpeg, args, { stdio: 'inherit' }).status !== 0)
    throw new Error('The file could not be made.');
  renameSync(`${path}.part`, path);
  return path;
}
