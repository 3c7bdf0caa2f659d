import { SIMULATED_DRIVES, type SimulatedDrive } from '@hone/core/machine';
import { describe, expect, it } from 'vitest';
import { SlowDrive } from './slow-drive.js';

const drive: SimulatedDrive = {
  ...SIMULATED_DRIVES[0]!,
  readBytesPerSecond: 50e6,
  latencyMs: 1,
  seekMs: 20,
};
const PIECE = 512 * 1024;
const never = new AbortController().signal;

async function timed(
  read: (slow: SlowDrive, piece: number) => Promise<void>,
  pieces: number,
): Promise<number> {
  const slow = new SlowDrive(drive);
  const start = performance.now();
  for (let piece = 0; piece < pieces; piece++) await read(slow, piece);
  return performance.now() - start;
}

describe('a drive that is not there', () => {
  it('takes longer for two files in turns than for one after the other', async () => {
    const straight = await timed((slow, piece) => slow.read('/a', piece * PIECE, PIECE, never), 20);
    const inTurns = await timed(
      (slow, piece) => slow.read(piece % 2 ? '/a' : '/b', (piece >> 1) * PIECE, PIECE, never),
      20,
    );
    // By the definition of the bucket no read may come early: 20 pieces of 10.5 ms each, less what was saved up,
    // and 20 moves of 20 ms.
    expect(straight).toBeGreaterThanOrEqual((20 * PIECE) / 50e3 - 20 - 2);
    expect(inTurns - straight).toBeGreaterThan(19 * 20 * 0.9 - 20);
  });

  it('lets a reader go who gives up', async () => {
    const slow = new SlowDrive({ ...drive, readBytesPerSecond: 1000 });
    const abort = new AbortController();
    const waiting = slow.read('/a', 0, PIECE, abort.signal);
    abort.abort();
    await expect(waiting).rejects.toThrow(/abort/i);
  });
});
