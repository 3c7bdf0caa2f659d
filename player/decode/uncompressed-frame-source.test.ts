import { afterEach, describe, expect, it, vi } from 'vitest';
import { rational } from '@hone/core/time';
import { UncompressedFrameSource } from './uncompressed-frame-source.js';

const SIZE = { width: 4, height: 2 };
/** Planes of luma and of both colour differences. */
const BYTES = 12;
const FRAMES = 20;
/** Every byte of a picture is its number. */
const FILE = Uint8Array.from({ length: FRAMES * BYTES }, (_, at) => Math.floor(at / BYTES));

/** Delivers the file in pieces that end in the middle of pictures. */
function streamFrom(first: number, last: number, asked: () => void): ReadableStream<Uint8Array> {
  let at = first;
  return new ReadableStream({
    type: 'bytes',
    pull(controller) {
      asked();
      if (at > last) {
        controller.close();
        controller.byobRequest?.respond(0);
        return;
      }
      controller.enqueue(FILE.slice(at, Math.min(last + 1, at + 7)));
      at += 7;
    },
  });
}

describe('pictures that are not compressed', () => {
  const ranges: string[] = [];
  let pulls = 0;

  const opened = (): UncompressedFrameSource => {
    ranges.length = 0;
    pulls = 0;
    vi.stubGlobal('fetch', (_url: string, { headers }: { headers: { Range: string } }) => {
      ranges.push(headers.Range);
      const [first, last] = /^bytes=(\d+)-(\d+)$/.exec(headers.Range)!.slice(1).map(Number);
      return Promise.resolve(new Response(streamFrom(first!, last!, () => pulls++)));
    });
    return new UncompressedFrameSource('/media/stretches/a', SIZE, rational(24000, 1001), FRAMES);
  };

  const numbersOf = async (source: UncompressedFrameSource, count: number): Promise<number[]> => {
    const numbers: number[] = [];
    for (let each = 0; each < count; each++) {
      const next = await source.next();
      if (!next) break;
      const { planes } = next.frame as { planes: Uint8Array };
      expect(new Set(planes).size).toBe(1);
      expect(planes).toHaveLength(BYTES);
      expect(Math.round((next.seconds * 24000) / 1001)).toBe(planes[0]);
      numbers.push(planes[0]!);
      next.frame.close();
    }
    return numbers;
  };

  afterEach(() => vi.unstubAllGlobals());

  it('come one after the other from any place, to the end of the file', async () => {
    const source = opened();
    await source.startAt((17.25 * 1001) / 24000);
    expect(await numbersOf(source, 10)).toEqual([17, 18, 19]);
    expect(ranges).toEqual([`bytes=${17 * BYTES}-${FRAMES * BYTES - 1}`]);
    for (const frame of [0, 5, 19]) {
      // A time that is rounded down by less than a tick is still that of the frame.
      await source.startAt((frame * 1001) / 24000 - 1e-6);
      expect(await numbersOf(source, 1)).toEqual([frame]);
    }
    source.close();
  });

  it('are asked for up to the last that is wanted', async () => {
    const source = opened();
    await source.startAt((3.25 * 1001) / 24000, (6.75 * 1001) / 24000);
    expect(await numbersOf(source, 10)).toEqual([3, 4, 5, 6]);
    await source.startAt((18 * 1001) / 24000, 99);
    expect(await numbersOf(source, 10)).toEqual([18, 19]);
    source.close();
  });

  it('can be entered at every frame', async () => {
    const source = opened();
    expect(await source.entryAfter((4.2 * 1001) / 24000)).toBeCloseTo((5 * 1001) / 24000);
    expect(await source.entryAfter((4 * 1001) / 24000)).toBeCloseTo((5 * 1001) / 24000);
    expect(await source.entryAfter((19 * 1001) / 24000)).toBeUndefined();
  });

  it('are not read without end while nobody takes them', async () => {
    const source = opened();
    await source.startAt(0);
    await vi.waitFor(() => expect(pulls).toBeGreaterThan(5));
    await new Promise((resolve) => setTimeout(resolve, 50));
    expect(pulls * 7).toBeLessThan(FILE.length / 2);
    source.close();
  });

  it('end with the sentence of the server where the file is gone', async () => {
    vi.stubGlobal('fetch', () =>
      Promise.resolve(Response.json({ detail: 'The file is not there any more.' }, { status: 404 })),
    );
    const source = new UncompressedFrameSource('/media/stretches/a', SIZE, rational(24), FRAMES);
    await source.startAt(0);
    await expect(source.next()).rejects.toThrow('The file is not there any more.');
  });
});
