import { describe, expect, it } from 'vitest';
import { stillPath } from '../ffmpeg/input.js';
import { mountsFrom } from '../drives/mounts.js';
import { stillsIn } from './stills.js';

describe('numbered stills', () => {
  const row = (stem: string, from: number, count: number): string[] =>
    Array.from({ length: count }, (_, at) => `${stem}${String(from + at).padStart(4, '0')}.png`);

  it('are found as one row each, and a gap ends a row', () => {
    const names = [
      ...row('mill_', 1, 10),
      ...row('mill_', 20, 6),
      ...row('wheel', 1, 5),
      'notes.txt',
      'a1.png',
    ];
    expect(stillsIn(names).map(({ label, stills }) => [label, stills.first, stills.count])).toEqual([
      ['mill_0001–0010.png', 1, 10],
      ['mill_0020–0025.png', 20, 6],
      ['wheel0001–0005.png', 1, 5],
    ]);
  });

  it('are not a few photographs', () => {
    expect(stillsIn(row('IMG_', 100, 4))).toEqual([]);
  });

  it('have a pattern that leads back to each file, whatever the name holds', () => {
    const [found] = stillsIn(row('100% x', 7, 5));
    expect(found!.pattern).toBe('100%% x%04d.png');
    expect(stillPath(`/a%%b/${found!.pattern}`, 9)).toBe('/a%b/100% x0009.png');
  });
});

describe('mounts', () => {
  // proc(5): the fields before the dash may be more than the usual ones; blanks are written as octal.
  it('are read as the system lists them', () => {
    const text =
      '36 35 98:0 /mnt1 /mnt2\\040media rw,noatime master:1 - ext3 /dev/root rw\n' +
      '37 35 0:42 / /srv/share rw shared:7 master:2 - nfs4 nas:/footage rw\n';
    expect(mountsFrom(text)).toEqual([
      { point: '/mnt2 media', device: '98:0', fileSystem: 'ext3', origin: '/dev/root' },
      { point: '/srv/share', device: '0:42', fileSystem: 'nfs4', origin: 'nas:/footage' },
    ]);
  });
});
