import type { DecodeSample } from '@hone/core/machine';
import { toNumber, type Rational } from '@hone/core/time';
import type { FrameSize } from '@hone/core/timeline';
import { UncompressedFrameSource } from '../decode/uncompressed-frame-source.js';
import { messageOf } from '../shared/message-of.js';
import { NOT_DECODED, type DecodeTimes } from './times.js';

/** Pictures over which one repetition is taken. */
const GROUP = 12;
/** Number of times a place is gone to, to measure its first picture. */
const STARTS = 4;

/** Reads a file of uncompressed pictures from beginning to end, and goes to some places in it. */
export async function readTimes(
  url: string,
  size: FrameSize,
  rate: Rational,
  frameCount: number,
): Promise<DecodeTimes> {
  const source = new UncompressedFrameSource(url, size, rate, frameCount);
  const take = async (): Promise<number> => {
    const picture = await source.next();
    if (!picture) throw new Error('The file ends before its last picture.');
    picture.frame.close();
    return performance.now();
  };
  try {
    await source.startAt(0);
    const stamps: number[] = [];
    for (let frame = 0; frame < frameCount; frame++) stamps.push(await take());
    const samples: DecodeSample[] = [];
    for (let at = GROUP; at + GROUP < stamps.length; at += GROUP)
      samples.push({ ms: (stamps[at + GROUP]! - stamps[at]!) / GROUP, bitsPerFrame: 0 });
    const startMs: number[] = [];
    for (let start = 1; start <= STARTS; start++) {
      const begun = performance.now();
      await source.startAt(((start / (STARTS + 1)) * frameCount) / toNumber(rate));
      startMs.push((await take()) - begun);
    }
    const seconds = (stamps.at(-1)! - stamps[0]!) / 1000;
    return {
      ...{ samples, startMs, restartMs: startMs, framesPerSecond: (frameCount - 1) / seconds },
      ...{ acceleration: 'software', paths: ['software'], problem: null },
    };
  } catch (error) {
    return { ...NOT_DECODED, paths: [], problem: messageOf(error) };
  } finally {
    source.close();
  }
}
