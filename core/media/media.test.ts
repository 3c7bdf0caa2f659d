import { describe, expect, it } from 'vitest';
import { previewSize } from '../levers/index.js';
import { pictureFacts, sourceFacts } from '../testing/index.js';
import { rational } from '../time/index.js';
import { copyArguments, copySize, fittingDivisor, megapixels, placeable, shownSize } from './index.js';

const UHD = { width: 3840, height: 2160 };
const picture = pictureFacts();

describe('light copies', () => {
  // Common practice, no source: half the size is a quarter of the pixels.
  it('of half the size have a quarter of the pixels', () => {
    expect(megapixels(UHD) / megapixels(copySize(UHD, 2))).toBe(4);
  });

  it('have the shape of their source, on even pixels', () => {
    expect(copySize({ width: 2720, height: 1530 }, 2)).toEqual({ width: 1360, height: 766 });
    expect(copySize({ width: 2704, height: 1524 }, 4)).toEqual({ width: 676, height: 382 });
  });

  it('are as small as the preview allows and no smaller', () => {
    expect(fittingDivisor(UHD, previewSize(UHD, 4))).toBe(4);
    expect(fittingDivisor(UHD, previewSize(UHD, 1))).toBe(1);
    expect(fittingDivisor({ width: 1920, height: 1080 }, previewSize(UHD, 4))).toBe(2);
    expect(fittingDivisor({ width: 2720, height: 1530 }, previewSize(UHD, 4))).toBe(2);
    expect(fittingDivisor({ width: 640, height: 360 }, previewSize(UHD, 2))).toBe(1);
  });

  it('are made of key frames only, without sound, with the time stamps of the source', () => {
    const args = copyArguments({ width: 960, height: 540 }, picture);
    const after = (name: string): string | undefined => args[args.indexOf(name) + 1];
    expect(after('-g')).toBe('1');
    expect(args).toContain('-an');
    expect(after('-fps_mode')).toBe('passthrough');
  });
});

describe('facts of a source', () => {
  it('tell the size at which it is shown', () => {
    expect(shownSize(picture)).toEqual(UHD);
    expect(shownSize({ ...picture, rotation: 90 })).toEqual({ width: 2160, height: 3840 });
    const anamorphic = { ...picture, size: { width: 1440, height: 1080 }, pixelAspect: rational(4, 3) };
    expect(shownSize(anamorphic)).toEqual({ width: 1920, height: 1080 });
  });

  it('say what an edit may place', () => {
    const facts = sourceFacts(null, { container: 'wav' });
    expect(placeable('a', 'A', facts)).toMatchObject({ hasPicture: false, hasSound: false });
  });
});
