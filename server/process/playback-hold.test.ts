import { readFile } from 'node:fs/promises';
import { setTimeout as sleep } from 'node:timers/promises';
import { afterEach, describe, expect, it } from 'vitest';
import { runTool } from '../ffmpeg/process.js';
import { processorTicks } from './identity.js';
import { PlaybackHold, playbackHold } from './playback-hold.js';
import { spawnChild } from './spawn-child.js';

const BUSY = ['-c', 'while :; do :; done'] as const;

/** State of a process as Linux writes it: R runs, S sleeps, T is stopped (proc(5), /proc/pid/stat). */
async function stateOf(pid: number | undefined): Promise<string | undefined> {
  const stat = await readFile(`/proc/${pid}/stat`, 'utf8').catch(() => '');
  return /\) (\w)/.exec(stat)?.[1];
}

/** Length of a tick of processor time on Linux, ms (proc(5): USER_HZ is 100 on every architecture that Node runs on). */
const TICK_MS = 10;

/** Processor time that a process has used, ticks. */
const ticksOf = async (pid: number | undefined): Promise<number> =>
  (pid === undefined ? undefined : await processorTicks(pid)) ?? 0;

describe.skipIf(process.platform !== 'linux')('background work while something plays', () => {
  const ends: (() => void)[] = [];
  const busy = () => {
    const child = spawnChild('sh', BUSY);
    ends.push(() => child.kill('SIGKILL'));
    return child;
  };

  afterEach(() => {
    playbackHold.release();
    for (const end of ends.splice(0)) end();
  });

  it('is stopped within 200 ms, with programs that start meanwhile, and continues afterwards', async () => {
    const first = await playbackHold.run(() => Promise.resolve({ child: busy() }));
    const waitedFor = busy();
    await expect.poll(() => ticksOf(first.child.pid)).toBeGreaterThan(0);
    const pressed = await ticksOf(first.child.pid);
    playbackHold.hold();
    await expect.poll(() => stateOf(first.child.pid), { interval: 5 }).toBe('T');
    // Counted in the processor's own time: a busy machine delays this test, not the program that was stopped.
    expect((await ticksOf(first.child.pid)) - pressed).toBeLessThan(200 / TICK_MS);
    const second = await playbackHold.run(() => Promise.resolve({ child: busy() }));
    await expect.poll(() => stateOf(second.child.pid)).toBe('T');
    // What somebody waits for goes on.
    expect(await stateOf(waitedFor.pid)).not.toBe('T');
    playbackHold.release();
    await expect.poll(() => stateOf(first.child.pid)).toBe('R');
    await expect.poll(() => stateOf(second.child.pid)).toBe('R');
  });

  it('can be ended while it is stopped', async () => {
    const { child } = await playbackHold.run(() => Promise.resolve({ child: busy() }));
    playbackHold.hold();
    await expect.poll(() => stateOf(child.pid)).toBe('T');
    child.kill('SIGKILL');
    await expect.poll(() => stateOf(child.pid)).toBeUndefined();
  });

  it('does not count as stalled', async () => {
    const work = playbackHold.run(() => runTool('sh', ['-c', 'sleep 0.3; echo done'], { stallMs: 400 }));
    playbackHold.hold();
    await sleep(900);
    playbackHold.release();
    expect((await work).output).toBe('done');
  });

  it('waits in its own loops, unless it is told to end', async () => {
    const passed: string[] = [];
    playbackHold.hold();
    const abort = new AbortController();
    const held = playbackHold.run(async () => {
      await playbackHold.passed();
      passed.push('held');
    });
    const ended = playbackHold.run(async () => {
      await playbackHold.passed(abort.signal);
      passed.push('ended');
    });
    await playbackHold.passed();
    passed.push('other');
    abort.abort();
    await ended;
    expect(passed).toEqual(['other', 'ended']);
    playbackHold.release();
    await held;
    expect(passed).toEqual(['other', 'ended', 'held']);
  });

  it('continues by itself when nothing tells any more that something plays', async () => {
    const hold = new PlaybackHold(80);
    hold.hold();
    expect(hold.isHeld).toBe(true);
    await expect.poll(() => hold.isHeld).toBe(false);
  });
});
