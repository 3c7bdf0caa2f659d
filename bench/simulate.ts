import { PLAINEST } from '@hone/core/levers';
import { simulate as simulated, type SimulatedRun } from '@hone/core/playback';
import {
  buildWorkload,
  memoryShares,
  UNCALIBRATED,
  SIMULATED_RIGS,
  usualCeiling,
  workOf,
  type Situation,
} from '@hone/core/rig';
import { readySource, sourceFacts } from '@hone/core/testing';
import { rational } from '@hone/core/time';
import type { Clip, Timeline } from '@hone/core/timeline';
import { middle } from './figures.js';

const TRACKS = 16;
const MINUTES = 10;
const FRAMES = MINUTES * 60 * 24;
const CLIP = 240;
const SIZE = { width: 1920, height: 1080 };

type Rigged = Situation['rig'];

const rigOf = (id: string): Rigged => SIMULATED_RIGS.find((each) => each.id === id)!;

/**
 * Ten minutes of sixteen tracks that are all seen, in the simulator: as a whole, after one clip has changed, and as a whole
 * on a machine that is too slow for it. What is done for the first time, before it was compiled, stands apart.
 */
export function simulate(): Promise<Record<string, number>> {
  const whole: number[] = [];
  const changed: number[] = [];
  const overloaded: number[] = [];
  const rig = rigOf('simulated-tower');
  const slow = rigOf('simulated-six-cores');
  const lines = (speeds: ReadonlyMap<string, number>, on = rig): Parameters<typeof simulated>[0] =>
    buildWorkload(workOf(situationOf(on, speeds)), on);
  let before: SimulatedRun | undefined;
  for (let round = 0; round < 8; round++) {
    const start = performance.now();
    before = simulated(lines(new Map()));
    whole.push(performance.now() - start);
  }
  for (let round = 0; round < 15; round++) {
    // One clip is bypassed or not: its cost is another one.
    const clipId = `c${round % TRACKS}-${(7 * round + 3) % (FRAMES / CLIP)}`;
    const start = performance.now();
    simulated(lines(new Map([[clipId, 1]])), {}, before);
    changed.push(performance.now() - start);
  }
  for (let round = 0; round < 5; round++) {
    const start = performance.now();
    simulated(lines(new Map(), slow));
    overloaded.push(performance.now() - start);
  }
  return Promise.resolve({
    wholeMs: middle(whole.slice(1)),
    firstMs: whole[0]!,
    changeMs: middle(changed),
    overloadedMs: middle(overloaded),
    pictures: TRACKS * FRAMES,
  });
}

function situationOf(rig: Rigged, blurred: ReadonlyMap<string, number>): Situation {
  const sources = Array.from({ length: TRACKS }, (_, track) => {
    const picture = { size: SIZE, frameCount: FRAMES, codec: 'h264' };
    return readySource(`s${track}`, sourceFacts(picture, { bitsPerSecond: 8e6 }));
  });
  const tracks = sources.map(({ id }, track) => ({
    ...{ id: `t${track}`, kind: 'picture' as const, name: id, enabled: true },
    clips: Array.from({ length: FRAMES / CLIP }, (_, at): Clip => {
      const clipId = `c${track}-${at}`;
      const radius = blurred.get(clipId);
      const through = { id: 'o', kind: 'transform', enabled: true, values: { opacity: 90 } };
      const blur = { id: 'b', kind: 'blur', enabled: true, values: { radius: radius ?? 1 } };
      return {
        ...{ id: clipId, name: clipId, sourceId: id, start: CLIP * at, length: CLIP, enabled: true },
        sourceIn: rational(at * 10),
        effects: radius === undefined ? [through] : [through, blur],
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
