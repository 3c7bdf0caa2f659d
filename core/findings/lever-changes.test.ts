import { describe, expect, it } from 'vitest';
import type { Tuning } from '../levers/index.js';
import type { Rig } from '../machine/index.js';
import { predict, type Prediction } from '../simulation/index.js';
import {
  alone,
  clipOf,
  contextOf,
  findingsOf,
  halfCopy,
  situationOf,
  source,
  strongRig,
  timelineOf,
  trackOf,
  withCores,
} from '../testing/scenes.js';
import {
  aimOf,
  applyLeverChange,
  leverChangesFor,
  findingOf,
  widerCopies,
  windowsOf,
  type LeverChange,
} from './index.js';

const slow = withCores(strongRig({}, 3e9, 60), 8);

describe('what levers are moved for', () => {
  it('is playing where frames are dropped', () => {
    expect(aimOf({ kind: 'effects', dropped: 3 })).toBe('playing');
    expect(aimOf({ kind: 'effects', dropped: 0 })).toBeNull();
    expect(aimOf({ kind: 'unexplained', dropped: 3 })).toBeNull();
  });

  it('is the start, scrubbing or sharpness where that is what is wrong, and nothing where no lever helps', () => {
    expect(aimOf({ kind: 'slow-start', dropped: 0 })).toBe('start');
    expect(aimOf({ kind: 'slow-scrubbing', dropped: 0 })).toBe('scrubbing');
    expect(aimOf({ kind: 'soft-picture', dropped: 0 })).toBe('sharpness');
    for (const kind of ['real-time', 'storage-space', 'occluded-clips', 'weaker-graphics'] as const)
      expect(aimOf({ kind, dropped: 0 })).toBeNull();
  });
});

describe('lever changes', () => {
  it('go to the next position of each lever, and to copies of what plays in the stretches of the finding', () => {
    const timeline = timelineOf([trackOf('p', [clipOf('a', 'a', 0, 120), clipOf('b', 'b', 120, 120)])]);
    const situation = situationOf(timeline, [source('a', { gop: 48 }), source('b', { gop: 48 })], slow);
    const now = predict(situation);
    const evidence = { sources: ['b'], decoderMs: 60, budgetMs: 41.7, corePercent: 30 };
    const ranges = [{ from: 130, to: 150 }];
    const finding = findingOf('serial-decoding', evidence, { stage: 'decode', dropped: 9, ranges });
    expect(leverChangesFor('playing', finding, situation, now)).toMatchObject([
      { lever: 'preview scale', playScale: 8 },
      { lever: 'make copies', copies: [{ sourceId: 'b' }] },
      { lever: 'render stretches', ranges: [{ from: 120, to: 198 }] },
    ]);
    const narrow = leverChangesFor('playing', finding, situation, now).find(
      ({ lever }) => lever === 'make copies',
    )!;
    expect(widerCopies(narrow, situation, now)).toMatchObject({
      copies: [{ sourceId: 'a' }, { sourceId: 'b' }],
    });
    const everywhere = leverChangesFor('playing', { ...finding, ranges: [] }, situation, now).at(-1)!;
    expect(widerCopies(everywhere, situation, now)).toBeNull();
  });

  it('do not ask for a copy that is there, but for playing from it', () => {
    const copies = [halfCopy('a', 2e5)];
    const situation = situationOf(alone('a'), [source('a', { gop: 48 })], slow, {}, copies);
    const context = contextOf(situation);
    const finding = findingsOf(context).find(({ dropped }) => dropped > 0)!;
    expect(
      leverChangesFor('playing', finding, situation, context.prediction).map(({ lever }) => lever),
    ).toEqual(['preview scale', 'play from copies', 'render stretches']);
  });

  it('offer automatic decoding where the slower path was chosen by hand, and only there', () => {
    const { codec, profile } = source('a').facts!.picture!;
    const twice = slow.decoders.flatMap((each): Rig['decoders'] => {
      if (each.decoder !== 'browser' || !each.msPerFrame) return [each];
      const msPerFrame = { ...each.msPerFrame, value: each.msPerFrame.value / 4 };
      return [
        { ...each, acceleration: 'software' },
        { ...each, acceleration: 'hardware', paths: ['hardware', 'software'], msPerFrame },
      ];
    });
    const pathIn = ({ work }: Prediction): string | undefined => work.media.get('a')?.path;
    const offered = (path: 'hardware' | 'software' | undefined) => {
      const decodePaths = path && [{ codec, profile, path }];
      const rig = { ...slow, decoders: twice };
      const situation = situationOf(alone('a'), [source('a')], rig, { decodePaths });
      const now = predict(situation);
      const late = findingOf('slow-scrubbing', { medianMs: 300, worstTwentiethMs: 900, isMeasured: true });
      const changes = leverChangesFor('playing', late, situation, now);
      const isOffered = changes.some(({ lever }) => lever === 'automatic decoding');
      const after = applyLeverChange(situation, { lever: 'automatic decoding' }, now);
      return { isOffered, path: pathIn(now), after: pathIn(predict(after)) };
    };
    expect(offered('software')).toEqual({ isOffered: true, path: 'software', after: 'hardware' });
    expect(offered('hardware').isOffered).toBe(false);
    expect(offered(undefined)).toEqual({ isOffered: false, path: 'hardware', after: 'hardware' });
  });

  it('offer automatic composing where the slower processor was chosen, and only there', () => {
    const isOffered = (composeOn: Tuning['composeOn']): boolean => {
      const situation = situationOf(alone('a'), [source('a')], slow, { composeOn });
      const late = findingOf('slow-scrubbing', { medianMs: 300, worstTwentiethMs: 900, isMeasured: true });
      const now = predict(situation);
      const changes = leverChangesFor('playing', late, situation, now);
      const change = changes.find(({ lever }) => lever === 'automatic composing');
      if (change) expect(applyLeverChange(situation, change, now).tuning.composeOn).toBeUndefined();
      return change !== undefined;
    };
    // Of its graphics processor nothing was measured.
    expect(
      ['graphics processor', 'processor', undefined].map((each) => isOffered(each as Tuning['composeOn'])),
    ).toEqual([true, false, false]);
  });

  it('of the picture at rest answer scrubbing, and end at the smallest scale', () => {
    const at = (restScale: 1 | 16): string[] => {
      const situation = situationOf(alone('a'), [source('a')], slow, { restScale });
      const late = findingOf('slow-scrubbing', { medianMs: 300, worstTwentiethMs: 900, isMeasured: true });
      return leverChangesFor('scrubbing', late, situation, predict(situation)).map(({ lever }) => lever);
    };
    expect(at(1)).toEqual(['scale at rest', 'make copies']);
    expect(at(16)).toEqual(['make copies']);
  });

  it('change the tuning and the copies, and nothing else', () => {
    const situation = situationOf(alone('a'), [source('a')], slow, { lightCopies: true });
    const now = predict(situation);
    const after = (move: LeverChange) => applyLeverChange(situation, move, now);
    expect(after({ lever: 'preview scale', playScale: 2 }).tuning).toMatchObject({ playScale: 2 });
    expect(after({ lever: 'scale at rest', restScale: 8 }).tuning).toMatchObject({ restScale: 8 });
    expect(after({ lever: 'play from originals' }).tuning.lightCopies).toBe(false);
    expect(after({ lever: 'play from copies' }).tuning.lightCopies).toBe(true);
    const made = after({ lever: 'make copies', copies: [{ sourceId: 'a', divisor: 4 }] });
    expect(made.copies).toMatchObject([{ sourceId: 'a', state: 'ready', width: 960, height: 540 }]);
    expect(made.timeline).toBe(situation.timeline);
    const cached = after({ lever: 'render stretches', ranges: [{ from: 10, to: 40 }] });
    expect(predict(cached).work.preview.cached).toMatchObject([{ from: 10, to: 40, first: 0 }]);
    expect(after({ lever: 'play from cache' }).tuning.renderCache).toBeUndefined();
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
