import { describe, expect, it } from 'vitest';
import { guardInputs } from '../ffmpeg/process.js';
import { depthOf } from './bodies.js';

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);

describe('the depth of a JSON text', () => {
  it('counts lists and objects within each other, and nothing in texts', () => {
    expect(depthOf(bytes('5'))).toBe(0);
    expect(depthOf(bytes('{"a":[1,{"b":[]}],"c":{}}'))).toBe(4);
    expect(depthOf(bytes('"[[[[{{{{"'))).toBe(0);
    expect(depthOf(bytes('{"a\\"[[":"\\\\","b":[]}'))).toBe(2);
    expect(depthOf(bytes('['.repeat(9000)))).toBe(9000);
  });
});

describe('the inputs of ffmpeg', () => {
  const formats = (args: readonly string[]): string[] =>
    guardInputs(args).filter((_, at, all) => all[at - 1] === '-format_whitelist');

  it('read files and pipes only, and no format that opens further files', () => {
    const [allowed] = formats(['-v', 'error', '-i', 'file:/media/a.mp4', '-f', 'null', '-']);
    const names = allowed!.split(',');
    for (const playlist of ['hls', 'dash', 'concat', 'imf', 'sdp', 'lavfi', 'image2', 'rtsp'])
      expect(names, playlist).not.toContain(playlist);
    for (const medium of ['mov', 'matroska', 'mxf', 'wav']) expect(names).toContain(medium);
    expect(guardInputs(['-i', 'file:/a'])).toContain('file,pipe');
  });

  it('open the one format that is asked for, for this input alone', () => {
    const args = [
      '-f',
      'image2',
      '-i',
      'file:/a/%04d.png',
      '-f',
      'lavfi',
      '-i',
      'color',
      '-i',
      'file:/b.mp4',
    ];
    const [stills, source, plain] = formats(args);
    expect([stills, source]).toEqual(['image2', 'lavfi']);
    expect(plain).toContain('mov');
  });
});
