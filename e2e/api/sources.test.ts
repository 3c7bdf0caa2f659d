import { execFileSync } from 'node:child_process';
import { readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { FolderEntry, Project, Source } from '@hone/core/api';
import { FRAME_HEADER_BYTES, PacketIndex, readFrameHeader, unreferencedBy } from '@hone/core/media';
import { makeCodedClip } from '@hone/demo';
import { ALL_FORMATS, EncodedPacketSink, FilePathSource, Input } from 'mediabunny';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { codesOf } from '../fixtures/clips.js';
import { TestServer } from '../fixtures/server.js';
import {
  codeOfPlanes,
  makeStills,
  makeUnusual,
  UNUSUAL,
  UNUSUAL_FRAMES,
  type UnusualName,
} from '../fixtures/unusual-clips.js';

const LONG = { source: 3, width: 640, height: 360, rate: '24', frames: 120 };
const LONG_ENCODER = [
  '-c:v',
  'libx264',
  '-g',
  '30',
  '-bf',
  '3',
  '-b:v',
  '3M',
  '-timecode',
  '10:00:00:00',
  '-f',
  'mp4',
];

interface ProbedPacket {
  pts: number;
  dts: number;
  size: string;
  flags: string;
}

let server: TestServer;
let project: Project;
let sources: Source[];
const names = Object.keys(UNUSUAL) as UnusualName[];
const named = (name: string): Source => sources.find((source) => source.name === name)!;

async function packetsOf(source: Source): Promise<PacketIndex> {
  const reply = await fetch(`${server.url}/api/sources/${source.id}/packets`);
  expect(reply.status).toBe(200);
  return PacketIndex.from(new Uint8Array(await reply.arrayBuffer()));
}

beforeAll(async () => {
  server = await TestServer.start();
  const { footage } = server;
  project = (await server.call<Project>('POST', 'projects', { name: 'Facts' })).body;
  await makeCodedClip({ ...LONG, path: join(footage, 'long.mp4'), encoder: LONG_ENCODER });
  const plain = [...LONG_ENCODER.slice(0, -2), '-x264-params', 'b-pyramid=none', '-f', 'mp4'];
  await makeCodedClip({ ...LONG, frames: 60, path: join(footage, 'plain.mp4'), encoder: plain });
  const paths = [join(footage, 'long.mp4'), join(footage, 'plain.mp4')];
  for (const name of names) paths.push(await makeUnusual(name, footage));
  sources = await server.addSources(project.id, paths);
  await makeStills(footage);
  const top = await server.get<FolderEntry>('folders');
  const root = top.children.find(({ label }) => label.endsWith('footage'))!;
  const inside = await server.get<FolderEntry>(`folders/${root.id}`);
  const folder = await server.get<FolderEntry>(
    `folders/${inside.children.find(({ label }) => label.startsWith('stills'))!.id}`,
  );
  const fileIds = folder.files.map(({ id }) => id);
  const { status } = await server.call('POST', `projects/${project.id}/sources`, { fileIds });
  expect(status).toBe(201);
  await server.settle(project.id);
  sources = await server.get(`projects/${project.id}/sources`);
});

afterAll(() => server.stop());

describe('the facts of a source', () => {
  it.each(names)('are right for %s', (name) => {
    expect(named(UNUSUAL[name].file)).toMatchObject({
      state: 'ready',
      facts: { picture: { frameCount: UNUSUAL_FRAMES, ...UNUSUAL[name].facts } },
    });
  });

  it('hold timecode, level and rates', () => {
    expect(named('long.mp4').facts).toMatchObject({
      timecode: '10:00:00:00',
      picture: {
        rate: { num: 24, den: 1 },
        averageRate: { num: 24, den: 1 },
        level: expect.any(Number) as number,
      },
    });
  });

  it('tell numbered stills as one source', () => {
    const stills = sources.find((source) => source.stills)!;
    expect(stills.name).toBe('mill_0100–0129.png');
    expect(stills.facts?.picture).toMatchObject({ frameCount: 30, chroma: 'RGB' });
  });
});

describe('the packet index', () => {
  it.each(names)('agrees with ffprobe packet by packet for %s', async (name) => {
    const source = named(UNUSUAL[name].file);
    const index = await packetsOf(source);
    const args = [
      '-v',
      'error',
      '-select_streams',
      'v:0',
      '-show_packets',
      '-of',
      'json',
      join(server.footage, source.name),
    ];
    const { packets } = JSON.parse(
      execFileSync('ffprobe', args, { encoding: 'utf8', maxBuffer: 1 << 28 }),
    ) as {
      packets: ProbedPacket[];
    };
    expect(Array.from(index.sizes)).toEqual(packets.map(({ size }) => Number(size)));
    expect(Array.from(index.keys)).toEqual(packets.map(({ flags }) => Number(flags.includes('K'))));
    const known = packets.flatMap(({ pts }, at) => (pts === undefined ? [] : [[at, pts]]));
    expect(known.map(([at]) => [at, index.pts[at!]])).toEqual(known);
    expect(source.structure).toMatchObject({
      packets: packets.length,
      pictureBytes: packets.reduce((sum, { size }) => sum + Number(size), 0),
    });
  });

  it('agrees with a demuxer that is not ffmpeg’s', async () => {
    const index = await packetsOf(named('long.mp4'));
    const source = new FilePathSource(join(server.footage, 'long.mp4'));
    const input = new Input({ source, formats: ALL_FORMATS });
    const sink = new EncodedPacketSink((await input.getPrimaryVideoTrack())!);
    const sizes: number[] = [];
    const keys: number[] = [];
    for await (const packet of sink.packets()) {
      sizes.push(packet.byteLength);
      keys.push(Number(packet.type === 'key'));
    }
    expect(Array.from(index.sizes)).toEqual(sizes);
    expect(Array.from(index.keys)).toEqual(keys);
  });

  // SMPTE ST 2019-1: every frame of the lightest profile at 1920 × 1080 has this size.
  it('finds the frame size of VC-3', async () => {
    const index = await packetsOf(named(UNUSUAL.vc3.file));
    expect(new Set(index.sizes)).toEqual(new Set([188_416]));
    expect(named(UNUSUAL.vc3.file).structure).toMatchObject({ kind: 'intra', reordered: false });
  });

  // v210: 1920 pixels of 10-bit 4:2:2 fill rows of 5,120 bytes; 5,529,600 bytes a frame, 138.2 MB/s at 25.
  it('finds the frame size and the rate of uncompressed pictures', async () => {
    const { structure } = named(UNUSUAL.uncompressed.file);
    expect(structure!.bitsPerFrame / 8).toBe(5_529_600);
    expect(structure!.averageBitsPerSecond / 8e6).toBeCloseTo(138.24, 2);
    expect(structure!.peakBitsPerSecond / 8e6).toBeCloseTo(138.24, 2);
  });

  it('tells long groups, reordering and the price of a cut', () => {
    expect(named('long.mp4').structure).toMatchObject({
      kind: 'long-GOP',
      reordered: true,
      gopFrames: { longest: 30 },
      constantRate: true,
    });
    expect(named('long.mp4').structure!.coldStartFrames.most).toBe(30);
  });

  // ffmpeg's own decoder leaves out what no other picture refers to when it is told so.
  it.each(['long.mp4', 'plain.mp4'])('tells which pictures of %s no other refers to', async (name) => {
    const source = named(name);
    const index = await packetsOf(source);
    const { unreferenced, unreferencedShare } = source.structure!;
    expect(unreferenced).toBe(name === 'plain.mp4' ? 'reordered' : 'between neighbours');
    const args = ['-v', 'error', '-skip_frame', 'noref', '-show_entries', 'frame=pts', '-of', 'csv=p=0'];
    const path = join(server.footage, name);
    const kept = execFileSync('ffprobe', [...args, '-select_streams', 'v:0', path], { encoding: 'utf8' });
    const referred = new Set(kept.split('\n').map((line) => Number.parseInt(line, 10)));
    const isFree = Array.from(index.pts, (pts) => !referred.has(pts));
    const taken = Array.from(unreferencedBy(index, unreferenced!), Boolean);
    expect(taken.filter((is, at) => is && !isFree[at])).toEqual([]);
    const free = isFree.filter(Boolean).length;
    expect(taken.filter(Boolean).length).toBeGreaterThan(0.9 * free);
    expect(unreferencedShare).toBeCloseTo(taken.filter(Boolean).length / taken.length);
    expect(free).toBeGreaterThan(0.3 * taken.length);
  });

  it('gives for every frame as many to decode as a real decoder needs', async () => {
    const index = await packetsOf(named('long.mp4'));
    const path = join(server.footage, 'long.mp4');
    const part = join(server.folder, 'part.mkv');
    for (const frame of [0, 1, 2, 5, 17, 29, 30, 31, 58, 59, 100, 119]) {
      const last = index.shownOrder[frame]!;
      const first = last + 1 - index.decodeDistance(frame);
      const cut = (from: number, to: number): (number | undefined)[] => {
        const drop = `noise=drop='lt(n,${from})+gt(n,${to})'`;
        execFileSync('ffmpeg', [
          '-v',
          'error',
          '-y',
          '-i',
          path,
          '-map',
          '0:v',
          '-c',
          'copy',
          '-bsf:v',
          drop,
          part,
        ]);
        return codesOf(part).map((code) => code?.frame);
      };
      // From the key frame on, no fewer packets bring the frame, and so many do.
      expect(cut(first, last), `frame ${frame}`).toContain(frame);
      if (last > first) expect(cut(first, last - 1)).not.toContain(frame);
      expect(index.keys[first]).toBe(1);
    }
  });
});

describe('frames that the server decodes', () => {
  async function framesOf(
    source: Source,
    from: number,
    count: number,
    until?: number,
  ): Promise<{ at: number; code: number }[]> {
    const width = 160;
    const height = 90;
    const abort = new AbortController();
    const reply = await fetch(
      `${server.url}/media/frames/${source.id}?from=${from}&width=${width}&height=${height}${until === undefined ? '' : `&until=${until}`}`,
      { signal: abort.signal },
    );
    expect(reply.status).toBe(200);
    const frameBytes = FRAME_HEADER_BYTES + (width * height * 3) / 2;
    let bytes = Buffer.alloc(0);
    for await (const chunk of reply.body as unknown as AsyncIterable<Uint8Array>) {
      bytes = Buffer.concat([bytes, chunk]);
      if (bytes.length >= count * frameBytes) break;
    }
    abort.abort();
    return Array.from({ length: Math.min(count, Math.floor(bytes.length / frameBytes)) }, (_, at) => {
      const frame = bytes.subarray(at * frameBytes, (at + 1) * frameBytes);
      const { seconds, decodeMs } = readFrameHeader(frame);
      expect(decodeMs).toBeGreaterThanOrEqual(0);
      return { at: seconds, code: codeOfPlanes(frame.subarray(FRAME_HEADER_BYTES), width, height)!.frame };
    });
  }

  it.each([...names, 'stills' as const])('are the right ones from any place, for %s', async (name) => {
    const source = name === 'stills' ? sources.find((each) => each.stills)! : named(UNUSUAL[name].file);
    const rate = name === 'stills' ? 24 : 25;
    for (const wanted of [0, 7, 23]) {
      const frames = await framesOf(source, wanted / rate, 6);
      for (const { at, code } of frames) expect(code).toBe(Math.round(at * rate));
      expect(frames.some(({ at }) => Math.round(at * rate) === wanted)).toBe(true);
      // Enough to hold back no more than a frame or two that nobody asked for.
      expect(Math.round(frames[0]!.at * rate)).toBeGreaterThanOrEqual(wanted - 2);
    }
  });

  it.each([...names, 'stills' as const])('end where no more are wanted, for %s', async (name) => {
    const source = name === 'stills' ? sources.find((each) => each.stills)! : named(UNUSUAL[name].file);
    const rate = name === 'stills' ? 24 : 25;
    for (const [wanted, last] of [
      [0, 5],
      [7, 7],
      [11, 23],
    ] as const) {
      const frames = await framesOf(source, wanted / rate, UNUSUAL_FRAMES, (last + 0.75) / rate);
      const numbers = frames.map(({ code }) => code);
      for (let frame = wanted; frame <= last; frame++) expect(numbers).toContain(frame);
      // One more, where a time stamp is rounded.
      expect(numbers.at(-1)).toBeLessThanOrEqual(last + 2);
    }
  });

  it('end with the file', async () => {
    const frames = await framesOf(named(UNUSUAL.vc3.file), 45 / 25, 20);
    expect(frames.at(-1)!.code).toBe(UNUSUAL_FRAMES - 1);
  });

  it('stop when nobody reads them, and end when the reader goes', async () => {
    const running = (): number =>
      Number(
        execFileSync('sh', ['-c', 'pgrep -f "uncompressed.mov.*rawvideo" | wc -l'], { encoding: 'utf8' }),
      ) - 1;
    const abort = new AbortController();
    const reply = await fetch(
      `${server.url}/media/frames/${named(UNUSUAL.uncompressed.file).id}?from=0&width=1920&height=1080`,
      { signal: abort.signal },
    );
    const reader = reply.body!.getReader();
    await reader.read();
    await new Promise((resolve) => setTimeout(resolve, 500));
    // 150 MB would have gone out by now, had nobody held it back.
    expect(running()).toBeGreaterThan(0);
    abort.abort();
    await expect.poll(running).toBeLessThanOrEqual(0);
  });

  it('refuse sizes and times that are none', async () => {
    const { id } = named('long.mp4');
    for (const query of [
      'from=-1&width=10&height=10',
      'from=0&width=0&height=10',
      'from=0&width=99999&height=2',
      'from=0&until=x&width=10&height=10',
      '',
    ]) {
      expect((await fetch(`${server.url}/media/frames/${id}?${query}`)).status).toBe(400);
    }
  });
});

describe('what is made of a source in the background', () => {
  it('is a filmstrip', async () => {
    for (const source of sources.filter(({ facts }) => facts?.picture)) {
      expect(source.strip).toMatchObject({ pictures: 12, height: 90 });
      const reply = await fetch(`${server.url}/media/strips/${source.id}`);
      expect(reply.headers.get('content-type')).toBe('image/jpeg');
      const path = join(server.folder, 'strip.jpg');
      await writeFile(path, Buffer.from(await reply.arrayBuffer()));
      const size = execFileSync('ffprobe', [
        ...['-v', 'error', '-show_entries', 'stream=width,height', '-of', 'csv=p=0', path],
      ]);
      expect(String(size).trim()).toBe(`${12 * source.strip!.width},90`);
    }
  });

  it('is a waveform, and decoded sound for what no browser decodes', async () => {
    const path = join(server.footage, 'beeps.mkv');
    // A second of silence, a second of a tone at half of full scale.
    const tone = "aevalsrc='if(lt(t,1),0,0.5*sin(2*PI*440*t))':d=2:s=48000";
    execFileSync('ffmpeg', ['-v', 'error', '-f', 'lavfi', '-i', tone, '-c:a', 'ac3', '-b:a', '192k', path]);
    await server.addSources(project.id, [path]);
    await server.settle(project.id);
    const source = await server.untilSource(project.id, 'beeps.mkv', ({ sound }) => sound !== null);
    expect(source.sound).toMatchObject({ peaksPerSecond: 100, decoded: true });
    const peaks = new Uint8Array(
      await (await fetch(`${server.url}/api/sources/${source.id}/peaks`)).arrayBuffer(),
    );
    expect(peaks.length).toBeGreaterThan(195);
    expect(Math.max(...peaks.subarray(5, 90))).toBeLessThan(3);
    for (const peak of peaks.subarray(115, 185)) expect(Math.abs(peak - 128)).toBeLessThan(6);
    const sound = await fetch(`${server.url}/media/sounds/${source.id}`, { headers: { Range: 'bytes=0-3' } });
    expect(sound.status).toBe(206);
    expect(await sound.text()).toBe('RIFF');
  });
});

describe('sources in order', () => {
  it('are put in bins and tagged, many at once', async () => {
    const sourceIds = [named('long.mp4').id, named(UNUSUAL.ffv1.file).id];
    const change = { sourceIds, bin: 'Day 1/Mill', addTag: 'wheel' };
    const { body } = await server.call<Source[]>('POST', `projects/${project.id}/sources/changes`, change);
    expect(body.map(({ bin, tags }) => [bin, tags])).toEqual([
      ['Day 1/Mill', ['wheel']],
      ['Day 1/Mill', ['wheel']],
    ]);
    const bad = await server.call('POST', `projects/${project.id}/sources/changes`, {
      sourceIds,
      bin: '/x//',
    });
    expect(bad.status).toBe(400);
  });

  it('keep the filters that were given a name', async () => {
    const filters = [{ name: 'Heavy', conditions: [{ kind: 'bitRate', not: false, value: 50 }] }];
    expect((await server.call('PUT', `projects/${project.id}/filters`, filters)).status).toBe(200);
    expect(await server.get(`projects/${project.id}`)).toMatchObject({ filters });
    const bad = await server.call('PUT', `projects/${project.id}/filters`, [{ name: '', conditions: [] }]);
    expect(bad.status).toBe(400);
  });

  it('are removed without touching their files', async () => {
    const { id } = named(UNUSUAL.mpeg2.file);
    const removal = await server.call('POST', `projects/${project.id}/sources/removal`, { sourceIds: [id] });
    expect(removal.status).toBe(204);
    expect((await readFile(join(server.footage, UNUSUAL.mpeg2.file))).length).toBeGreaterThan(0);
  });
});
