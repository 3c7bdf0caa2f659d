import { describe, expect, it } from 'vitest';
import { predict } from '../rig/index.js';
import { alone, clipOf, halfCopy, sceneOf, situationOf, source, strongRig } from '../testing/scenes.js';
import { timelineOf, trackOf, withCores } from '../testing/scenes.js';
import {
  aimOf,
  causesOf,
  applyLeverChange,
  leverChangesFor,
  emptyCause,
  widerCopies,
  windowsOf,
  type LeverChange,
} from './index.js';

const slow = withCores(strongRig({}, 3e9, 60), 8);

describe('what levers are moved for', () => {
  it('is playing where frames are dropped, as predicted or as measured', () => {
    expect(aimOf({ ...emptyCause('effects'), predictedDrops: 3 })).toBe('playing');
    expect(aimOf({ ...emptyCause('effects'), measuredDrops: 1 })).toBe('playing');
    expect(aimOf(emptyCause('effects'))).toBeNull();
  });

  it('is the start, scrubbing or sharpness where that is what is wrong, and nothing where no lever helps', () => {
    expect(aimOf(emptyCause('slow start'))).toBe('start');
    expect(aimOf(emptyCause('slow scrubbing'))).toBe('scrubbing');
    expect(aimOf(emptyCause('soft picture'))).toBe('sharpness');
    for (const kind of ['plays', 'space', 'unseen clips', 'weaker graphics'] as const)
      expect(aimOf(emptyCause(kind))).toBeNull();
  });
});

describe('moves', () => {
  it('go to the next position of each lever, and to copies of what plays in the stretches of the cause', () => {
    const timeline = timelineOf([trackOf('p', [clipOf('a', 'a', 0, 120), clipOf('b', 'b', 120, 120)])]);
    const situation = situationOf(timeline, [source('a', { gop: 48 }), source('b', { gop: 48 })], slow);
    const now = predict(situation);
    const cause = {
      ...emptyCause('serial decoding', 'decode'),
      predictedDrops: 9,
      spans: [{ from: 130, to: 150 }],
    };
    expect(leverChangesFor('playing', cause, situation, now)).toMatchObject([
      { lever: 'preview scale', playScale: 8 },
      { lever: 'make copies', copies: [{ sourceId: 'b' }] },
    ]);
    const narrow = leverChangesFor('playing', cause, situation, now).find(
      ({ lever }) => lever === 'make copies',
    )!;
    expect(widerCopies(narrow, situation, now)).toMatchObject({
      copies: [{ sourceId: 'a' }, { sourceId: 'b' }],
    });
    const everywhere = leverChangesFor('playing', { ...cause, spans: [] }, situation, now).at(-1)!;
    expect(widerCopies(everywhere, situation, now)).toBeNull();
  });

  it('do not ask for a copy that is there, but for playing from it', () => {
    const copies = [halfCopy('a', 2e5)];
    const situation = situationOf(alone('a'), [source('a', { gop: 48 })], slow, {}, copies);
    const scene = sceneOf(situation);
    const cause = causesOf(scene).find(({ predictedDrops }) => predictedDrops > 0)!;
    expect(leverChangesFor('playing', cause, situation, scene.prediction).map(({ lever }) => lever)).toEqual([
      'preview scale',
      'play from copies',
    ]);
  });

  it('of the picture at rest answer scrubbing, and end at the smallest scale', () => {
    const at = (restScale: 1 | 16): string[] => {
      const situation = situationOf(alone('a'), [source('a')], slow, { restScale });
      return leverChangesFor('scrubbing', emptyCause('slow scrubbing'), situation, predict(situation)).map(
        ({ lever }) => lever,
      );
    };
    expect(at(1)).toEqual(['scale at rest', 'make copies']);
    expect(at(16)).toEqual(['make copies']);
  });

  it('change the tuning and the copies, and nothing else', () => {
    const situation = situationOf(alone('a'), [source('a')], slow, { lightCopies: true });
    const after = (move: LeverChange) => applyLeverChange(situation, move);
    expect(after({ lever: 'preview scale', playScale: 2 }).tuning).toMatchObject({ playScale: 2 });
    expect(after({ lever: 'scale at rest', restScale: 8 }).tuning).toMatchObject({ restScale: 8 });
    expect(after({ lever: 'play from originals' }).tuning.lightCopies).toBe(false);
    expect(after({ lever: 'play from copies' }).tuning.lightCopies).toBe(true);
    const made = after({ lever: 'make copies', copies: [{ sourceId: 'a', divisor: 4 }] });
    expect(made.copies).toMatchObject([{ sourceId: 'a', state: 'ready', width: 960, height: 540 }]);
    expect(made.timeline).toBe(situation.timeline);
    expect(situation.copies).toEqual([]);
    // A copy that is only imagined is played in the prediction like one that is there.
    expect([...predict(made).work.media.values()].map(({ choice }) => choice)).toEqual(['light copy']);
  });
});

describe('the load of a worker', () => {
  it('is that of one clip, however many workers there are', () => {
    const effects = [{ id: 'b', kind: 'blur', enabled: true, values: { radius: 2 } }];
    const situation = situationOf(alone('a', { effects }), [source('a')], strongRig(), { playScale: 1 });
    const { workload: line } = predict({ ...situation, shares: { ...situation.shares, decodeWorkers: 4 } });
    const [passage] = line.segments;
    const [window] = windowsOf(line);
    const whole = (passage!.scaleMs + passage!.effectsMs) / (1000 / 24);
    expect(window!.use.worker).toBeCloseTo(whole, 6);
  });
});
