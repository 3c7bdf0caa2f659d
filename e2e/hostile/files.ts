import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdirSync, readFileSync, symlinkSync, truncateSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

/** What Hone must make of a hostile file: refuse it with a sentence, not even list it, or take what can be decoded. */
export type Verdict = 'refused' | 'not listed' | 'taken';

export interface HostileFile {
  readonly name: string;
  readonly verdict: Verdict;
}

/** Files that somebody could lay into a media folder to read other files, to run scripts or to stop Hone. */
export interface HostileFolder {
  readonly files: readonly HostileFile[];
  /** Text of a file outside the media folder, which nothing that Hone gives out may hold. */
  readonly secret: string;
}

/** Bytes that look random and are the same every time. */
function noise(seed: string, bytes: number): Buffer {
  const parts: Buffer[] = [];
  for (let at = 0; at < bytes; at += 32) parts.push(createHash('sha256').update(`${seed} ${at}`).digest());
  return Buffer.concat(parts).subarray(0, bytes);
}

const ffmpeg = (...args: string[]): void =>
  void execFileSync('ffmpeg', ['-v', 'error', '-y', '-nostdin', ...args], { stdio: 'inherit' });

/**
 * Makes hostile files in a media folder, and beside it what they reach for.
 * @param folder a media folder that exists
 * @param outside a folder that Hone may not read
 */
export function makeHostileFiles(folder: string, outside: string): HostileFolder {
  mkdirSync(outside, { recursive: true });
  const secret = 'the secret of the tide mill';
  writeFileSync(join(outside, 'secret.txt'), secret);
  const picture = [
    '-f',
    'lavfi',
    '-i',
    'testsrc2=s=160x96:r=25:d=2',
    '-c:v',
    'libx264',
    '-g',
    '10',
    '-pix_fmt',
    'yuv420p',
  ];
  const outsideClip = join(outside, 'clip.mp4');
  ffmpeg(...picture, outsideClip);
  const files: HostileFile[] = [];
  const put = (name: string, content: string | Buffer, verdict: Verdict): void => {
    writeFileSync(join(folder, name), content);
    files.push({ name, verdict });
  };

  // Playlists: they name other files, in the clothes of media.
  const hls = (target: string): string =>
    `#EXTM3U\n#EXT-X-TARGETDURATION:5\n#EXTINF:2,\n${target}\n#EXT-X-ENDLIST\n`;
  const concat = (target: string): string => `ffconcat version 1.0\nfile '${target}'\nduration 2\n`;
  const dash = (target: string): string =>
    `<?xml version="1.0"?><MPD xmlns="urn:mpeg:dash:schema:mpd:2011" profiles="urn:mpeg:dash:profile:isoff-live:2011" type="static" mediaPresentationDuration="PT2S"><Period><AdaptationSet mimeType="video/mp4"><Representation id="1" bandwidth="1"><BaseURL>${target}</BaseURL><SegmentBase/></Representation></AdaptationSet></Period></MPD>`;
  const targets = {
    file: `file:${outsideClip}`,
    absolute: outsideClip,
    up: '../outside/clip.mp4',
    text: `file:${join(outside, 'secret.txt')}`,
  };
  for (const [how, target] of Object.entries(targets)) {
    put(`hls ${how}.mp4`, hls(target), 'refused');
    put(`hls ${how}.ts`, hls(target), 'refused');
    put(`concat ${how}.mov`, concat(target), 'refused');
    put(`concat ${how}.mkv`, concat(target), 'refused');
    put(`dash ${how}.mp4`, dash(target), 'refused');
  }
  put(
    'session.mp4',
    'v=0\no=- 0 0 IN IP4 127.0.0.1\ns=x\nt=0 0\nm=video 5004 RTP/AVP 96\na=rtpmap:96 H264/90000\n',
    'refused',
  );
  put('playlist.m3u8', hls(targets.absolute), 'not listed');

  // Pages and scripts.
  const page = '<!doctype html><script>fetch("/api/projects")</script>';
  put('page.mp4', page, 'refused');
  put(
    'drawing.mov',
    `<svg xmlns="http://www.w3.org/2000/svg" onload="alert(1)"><image href="file://${join(outside, 'secret.txt')}"/></svg>`,
    'refused',
  );
  put('page.html', page, 'not listed');
  put('drawing.svg', '<svg xmlns="http://www.w3.org/2000/svg" onload="alert(1)"/>', 'not listed');

  // Nothing, and noise.
  put('empty.mp4', '', 'refused');
  put('one byte.mov', 'x', 'refused');
  put('zeros.mkv', Buffer.alloc(100_000), 'refused');
  for (const ending of ['mp4', 'mkv', 'avi', 'mxf', 'ts', 'wav', 'mp3', 'ogg', 'flac'])
    put(`noise.${ending}`, noise(ending, 40_000), 'refused');
  // A box that says it is larger than anything, and boxes within boxes (ISO/IEC 14496-12).
  put('vast box.mp4', Buffer.from('00000001667479706fffffffffffffff', 'hex'), 'refused');
  put(
    'deep boxes.mp4',
    Buffer.concat(
      Array.from({ length: 3000 }, (_, at) => {
        const box = Buffer.alloc(8);
        box.writeUInt32BE(8 * (3000 - at), 0);
        box.write(at ? 'moov' : 'ftyp', 4);
        return box;
      }),
    ),
    'refused',
  );

  // Cut off, at the beginning and at the end.
  const whole = join(outside, 'whole');
  for (const [ending, format] of [
    ['mp4', ['-movflags', '+faststart']],
    ['mov', []],
    ['mkv', []],
    ['avi', []],
  ] as const) {
    ffmpeg(...picture, ...format, `${whole}.${ending}`);
    const bytes = readFileSync(`${whole}.${ending}`);
    put(`head only.${ending}`, bytes.subarray(0, 64), 'refused');
    put(`half.${ending}`, bytes.subarray(0, Math.floor(bytes.length / 2)), 'refused');
  }
  // Damaged within, with all packets there.
  const bytes = readFileSync(`${whole}.mp4`);
  const damaged = Buffer.from(bytes);
  noise('damage', 400).copy(damaged, Math.floor(bytes.length * 0.7));
  put('damaged.mp4', damaged, 'taken');

  // Sizes that stop programs.
  ffmpeg('-f', 'lavfi', '-i', 'color=s=8x8:r=25:d=1', '-c:v', 'ffv1', join(folder, 'tiny.mkv'));
  files.push({ name: 'tiny.mkv', verdict: 'refused' });
  ffmpeg('-f', 'lavfi', '-i', 'color=s=17000x16:r=2:d=1', '-c:v', 'ffv1', join(folder, 'vast.mkv'));
  files.push({ name: 'vast.mkv', verdict: 'refused' });

  // Names that a program could take for options, patterns, filters or other protocols.
  const good = readFileSync(outsideClip);
  for (const name of [
    '-i.mp4',
    '%03d.mp4',
    "it's [a]; 'filter',.mp4",
    'pipe:0.mp4',
    'file:etc.mp4',
    '$(reboot).mp4',
    'two\nlines.mp4',
    '\u202egpj.mp4',
    `${'long '.repeat(40)}.mp4`,
    'é ü 日本 🎞.mp4',
    'a|b.mp4',
    '#fragment?query.mp4',
  ])
    put(name, good, 'taken');
  put('.hidden.mp4', good, 'not listed');

  // Links out of the folder, and what is no file.
  symlinkSync(join(outside, 'secret.txt'), join(folder, 'link.mp4'));
  symlinkSync(outsideClip, join(folder, 'link to clip.mp4'));
  symlinkSync('/etc/passwd', join(folder, 'passwd.mp4'));
  symlinkSync('/dev/zero', join(folder, 'endless.mp4'));
  symlinkSync('loop.mp4', join(folder, 'loop.mp4'));
  symlinkSync(outside, join(folder, 'elsewhere'));
  for (const name of ['link.mp4', 'link to clip.mp4', 'passwd.mp4', 'endless.mp4', 'loop.mp4'])
    files.push({ name, verdict: 'not listed' });
  execFileSync('mkfifo', [join(folder, 'fifo.mp4')]);
  files.push({ name: 'fifo.mp4', verdict: 'not listed' });
  mkdirSync(join(folder, 'folder.mp4'));
  files.push({ name: 'folder.mp4', verdict: 'not listed' });

  // Large where it is empty: a file of many gigabytes that takes no room.
  writeFileSync(join(folder, 'sparse.mp4'), '');
  truncateSync(join(folder, 'sparse.mp4'), 20 * 2 ** 30);
  files.push({ name: 'sparse.mp4', verdict: 'refused' });
  return { files, secret };
}
