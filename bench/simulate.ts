import { median } from 'd3-array';
import { PLAINEST } from '@hone/core/levers';
import { simulate as simulated, type SimulatedRun } from '@hone/core/simulation';
import { buildWorkload, UNCALIBRATED, workOf, type Situation } from '@hone/core/cost-model';
import { memoryShares, SIMULATED_RIGS, usualCeiling } from '@hone/core/machine';
import { readySource, sourceFacts } from '@hone/core/testing';
import { rational } from '@hone/core/time';
import type { Clip, Timeline } from '@hone/core/timeline';

const TRACKS = 16;
/** Tracks that are seen at once in the realistic case: those below them are hidden. */
const SEEN = 4;
const MINUTES = 10;
const FRAMES = MINUTES * 60 * 24;
const CLIP = 240;
const SIZE = { width: 1920, height: 1080 };

type Rigged = Situation['rig'];

const rigOf = (id: string): Rigged => SIMULATED_RIGS.find((each) => each.id === id)!;

/**
 * Ten minutes of sixteen tracks, at most four seen at once, in the simulator: as a whole, after one clip has changed, and on
 * a machine that is too slow for it. `firstMs` is the first simulation, before the engine compiles it; `stressMs` is that of
 * all sixteen tracks seen at once.
 */
export function simulate(): Promise<Record<string, number>> {
  const tower = rigOf('simulated-tower');
  const workload = (seen: number, on: Rigged, blurred?: string): Parameters<typeof simulated>[0] =>
    buildWorkload(workOf(situationOf(on, seen, blurred)), on);
  const timed = (rounds: number, play: (round: number) => unknown): number[] =>
    Array.from({ length: rounds }, (_, round) => {
      const start = performance.now();
      play(round);
      return performance.now() - start;
    });
  let before: SimulatedRun | undefined;
  const whole = timed(8, () => (before = simulated(workload(SEEN, tower))));
  const changed = timed(15, (round) => {
    // One clip is blurred: its cost is another one.
    const clipId = `c${TRACKS - 1 - (round % SEEN)}-${(7 * round + 3) % (FRAMES / CLIP)}`;
    simulated(workload(SEEN, tower, clipId), {}, before);
  });
  const slow = rigOf('simulated-travel-laptop');
  const overloaded = timed(5, () => simulated(workload(SEEN, slow)));
  const stress = timed(3, () => simulated(workload(TRACKS, tower)));
  return Promise.resolve({
    wholeMs: median(whole.slice(1))!,
    firstMs: whole[0]!,
    changeMs: median(changed)!,
    overloadedMs: median(overloaded)!,
    stressMs: median(stress)!,
    pictures: SEEN * FRAMES,
  });
}

/** @param seen tracks from the top that are seen through, but for the lowest of them, which hides all below */
function situationOf(rig: Rigged, seen: number, blurred?: string): Situation {
  const sources = Array.from({ length: TRACKS }, (_, track) => {
    const picture = { size: SIZE, frameCount: FRAMES, codec: 'h264' };
    return readySource(`s${track}`, sourceFacts(picture, { bitsPerSecond: 8e6 }));
  });
  const tracks = sources.map(({ id }, track) => ({
    ...{ id: `t${track}`, kind: 'picture' as const, name: id, enabled: true },
    clips: Array.from({ length: FRAMES / CLIP }, (_, at): Clip => {
      const clipId = `c${track}-${at}`;
      const through = { id: 'o', kind: 'transform', enabled: true, values: { opacity: 90 } };
      const blur = { id: 'b', kind: 'blur', enabled: true, values: { radius: 1 } };
      return {
        ...{ id: clipId, name: clipId, sourceId: id, start: CLIP * at, length: CLIP, enabled: true },
        sourceIn: rational(at * 10),
        effects: [...(track > TRACKS - seen ? [through] : []), ...(clipId === blurred ? [blur] : [])],
      };
    }),
  }));
  const timeline: Timeline = { rate: rational(24), startFrame: 0, size: SIZE, tracks };
  return {
    ...{ timeline, sources, copies: [], rig, drive: null, calibration: UNCALIBRATED },
    tuning: { ...PLAINEST, playScale: 4 },
    shares: memoryShares(usualCeiling(rig.machine.memoryBytes), rig.machine.cores),
  };
}
