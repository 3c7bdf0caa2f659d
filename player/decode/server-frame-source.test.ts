import { FRAME_HEADER_BYTES, writeFrameHeader } from '@hone/core/media';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { ServerFrameSource } from './server-frame-source.js';

const SIZE = { width: 4, height: 2 };
const PLANES = 4 * 2 + 2 * (2 * 1);

/** Frames 0, 1, 2 … at 25 a second, each filled with its number, cut into pieces that fit no frame. */
function framesFrom(
  first: number,
  count: number,
  piece = 7,
): { stream: ReadableStream; given: () => number } {
  const bytes = new Uint8Array(count * (FRAME_HEADER_BYTES + PLANES));
  for (let at = 0; at < count; at++) {
    const header = writeFrameHeader({
      seconds: (first + at) / 25,
      decodeMs: 10 + at,
      readMs: at,
      bytes: PLANES,
    });
    bytes.set(header, at * (FRAME_HEADER_BYTES + PLANES));
    bytes.fill(
      first + at,
      at * (FRAME_HEADER_BYTES + PLANES) + header.length,
      (at + 1) * (FRAME_HEADER_BYTES + PLANES),
    );
  }
  let place = 0;
  const stream = new ReadableStream({
    type: 'bytes',
    pull(controller) {
      const end = Math.min(bytes.length, place + piece);
      controller.enqueue(bytes.slice(place, end));
      place = end;
      if (place === bytes.length) controller.close();
    },
  });
  return { stream, given: () => place / (FRAME_HEADER_BYTES + PLANES) };
}

describe('frames that the server decodes', () => {
  afterEach(() => vi.unstubAllGlobals());

  it('come whole and in order, with their times and costs, and end with the file', async () => {
    const asked: string[] = [];
    vi.stubGlobal('fetch', (url: string) => {
      asked.push(url);
      return Promise.resolve(new Response(framesFrom(5, 3).stream));
    });
    const supply = new ServerFrameSource('/media/frames/a', SIZE);
    await supply.startAt(0.2);
    expect(asked).toEqual(['/media/frames/a?from=0.200000&width=4&height=2']);
    for (let at = 0; at < 3; at++) {
      const next = (await supply.next())!;
      expect(next.seconds).toBeCloseTo((5 + at) / 25);
      expect(next).toMatchObject({ decodeMs: 10 + at, readMs: at });
      expect([...(next.frame as { planes: Uint8Array }).planes]).toEqual(Array(PLANES).fill(5 + at));
      next.frame.close();
    }
    expect(await supply.next()).toBeUndefined();
  });

  it('are not read ahead without end', async () => {
    const { stream, given } = framesFrom(0, 100);
    vi.stubGlobal('fetch', () => Promise.resolve(new Response(stream)));
    const supply = new ServerFrameSource('/media/frames/a', SIZE);
    await supply.startAt(0);
    await new Promise((resolve) => setTimeout(resolve, 50));
    expect(given()).toBeGreaterThan(2);
    expect(given()).toBeLessThan(8);
    for (let at = 0; at < 20; at++) (await supply.next())!.frame.close();
    expect(given()).toBeGreaterThan(20);
    supply.close();
  });

  it('come from the new place after a jump, and the old request ends', async () => {
    const signals: AbortSignal[] = [];
    const places = [0, 50];
    vi.stubGlobal('fetch', (_url: string, { signal }: RequestInit) => {
      signals.push(signal!);
      return Promise.resolve(new Response(framesFrom(places.shift()!, 10).stream));
    });
    const supply = new ServerFrameSource('/media/frames/a', SIZE);
    await supply.startAt(0);
    (await supply.next())!.frame.close();
    await supply.startAt(2);
    expect(signals[0]!.aborted).toBe(true);
    expect((await supply.next())!.seconds).toBeCloseTo(2);
  });

  it('are asked for up to the last that is wanted', async () => {
    const asked: string[] = [];
    vi.stubGlobal('fetch', (url: string) => {
      asked.push(url);
      return Promise.resolve(new Response(framesFrom(0, 1).stream));
    });
    const supply = new ServerFrameSource('/media/frames/a', SIZE);
    await supply.startAt(0.5, 1.25);
    expect(asked).toEqual(['/media/frames/a?from=0.500000&width=4&height=2&until=1.250000']);
    supply.close();
  });

  it('fail with the sentence of the server', async () => {
    vi.stubGlobal('fetch', () =>
      Promise.resolve(Response.json({ detail: 'The file is gone.' }, { status: 409 })),
    );
    const supply = new ServerFrameSource('/media/frames/a', SIZE);
    await supply.startAt(0);
    await expect(supply.next()).rejects.toThrow('The file is gone.');
  });
});
