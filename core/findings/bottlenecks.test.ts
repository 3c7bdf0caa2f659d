import { describe, expect, it } from 'vitest';
import { FrameLog } from '../playback/index.js';
import { alone, contextOf, situationOf, source, strongRig } from '../testing/scenes.js';
import { bottlenecks } from './bottlenecks.js';
import { windowsOf } from './utilisation.js';

describe('A bottleneck', () => {
  it('has its evidence from the second that causes drops, also where they come a second later', () => {
    const context = contextOf(situationOf(alone('a'), [source('a')], strongRig()));
    const [first, second, ...rest] = windowsOf(context.prediction.workload);
    const busy = {
      ...first!,
      use: { ...first!.use, decoder: 2 },
      ...{ decodeMs: 1000, startMs: 900, reachMs: 0, decodedPerShown: 1 },
    };
    const idle = { ...second!, startMs: 0, reachMs: 0 };
    const log = FrameLog.empty(0, second!.to + 24);
    for (let frame = 0; frame < log.length; frame++) {
      log.set(frame, 'settled', 1);
      if (frame !== idle.from) log.set(frame, 'shown', 40 * frame);
    }
    const found = bottlenecks(log, context, [busy, idle, ...rest]);
    expect(found).toMatchObject([{ kind: 'decoder-start', dropped: 1, evidence: { startMs: 900 } }]);
    expect(found[0]!.ranges).toEqual([{ from: idle.from, to: idle.to }]);
  });
});
