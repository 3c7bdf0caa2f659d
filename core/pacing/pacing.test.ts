import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  frameAtPlayhead,
  isTooLate,
  neediestStream,
  OPEN_AHEAD_SECONDS,
  PrefetchPolicy,
  Preroll,
  PREROLL_FRAMES,
  PREROLL_LIMIT_MS,
  presentationAt,
  StreamPacer,
} from './index.js';

describe('the presentation of frames', () => {
  it('drops a frame when the next is due, and not before', () => {
    expect(isTooLate(10, 10.99)).toBe(false);
    expect(isTooLate(10, 11)).toBe(true);
    expect(frameAtPlayhead(10.9999999)).toBe(11);
    expect(frameAtPlayhead(10.5)).toBe(10);
  });

  it('shows each frame once, when it is due and ready, and ends behind the last', () => {
    const always = (): boolean => true;
    expect(presentationAt(10.2, 9, 20, always)).toBe('show');
    expect(presentationAt(10.2, 10, 20, always)).toBe('hold');
    expect(presentationAt(10.2, 9, 20, () => false)).toBe('hold');
    expect(presentationAt(20, 19, 20, always)).toBe('end');
  });
});

describe('the preroll', () => {
  it('ends when its frames are ready, or a while after the first is', () => {
    const preroll = new Preroll(100, 1000);
    expect(preroll.isOver(100, 5000)).toBe(false);
    expect(preroll.isOver(101, 6000)).toBe(false);
    expect(preroll.isOver(102, 6000 + PREROLL_LIMIT_MS)).toBe(false);
    expect(preroll.isOver(102, 6001 + PREROLL_LIMIT_MS)).toBe(true);
    expect(new Preroll(100, 1000).isOver(101 + PREROLL_FRAMES, 0)).toBe(true);
  });

  it('waits for no more frames than there are', () => {
    expect(new Preroll(0, 2).end).toBe(2);
    expect(new Preroll(0, 2).isOver(2, 0)).toBe(true);
  });
});

describe('segments', () => {
  const segment = (from: number, length = 30) => ({ from, to: from + length });

  it('begin a fixed time before their first frames are due, with what can still be shown', () => {
    const policy = new PrefetchPolicy(25, 1);
    const first = 100 - 25 * OPEN_AHEAD_SECONDS;
    expect(policy.decide(segment(100), first - 0.01, 1000)).toBe('later');
    expect(policy.decide(segment(100), first, 1000)).toBe(100);
    expect(policy.decide(segment(100), 112.3, 1000)).toBe(113);
    expect(policy.decide(segment(100), 129.5, 1000)).toBe('over');
    expect(policy.decide(segment(100), 99, 100)).toBe('later');
  });

  it('wait while too many others are on the way to their first pictures', () => {
    const policy = new PrefetchPolicy(25, 1);
    for (const [at, key] of ['a', 'b', 'c'].entries()) policy.onBegun(key, segment(100 + at));
    expect(policy.decide(segment(110), 90, 1000)).toBe(110);
    policy.onBegun('d', segment(103));
    expect(policy.decide(segment(110), 90, 1000)).toBe('wait');
    const copy = policy.copy();
    expect(copy.stateKey()).toBe(policy.stateKey());
    policy.onReached('b');
    expect(policy.decide(segment(110), 90, 1000)).toBe(110);
    expect(copy.decide(segment(110), 90, 1000)).toBe('wait');
  });

  it('that are layers of one frame begin together', () => {
    const policy = new PrefetchPolicy(25, 1);
    for (const key of ['a', 'b', 'c', 'd', 'e', 'f']) policy.onBegun(key, segment(100));
    expect(policy.decide(segment(100), 90, 1000)).toBe(100);
  });
});

describe('a free buffer', () => {
  it('goes to the stream whose buffers reach least far, and to none that is full (any list, by sorting)', () => {
    fc.assert(
      fc.property(fc.array(fc.option(fc.nat(20), { nil: undefined })), (reaches) => {
        const found = neediestStream(reaches.keys(), (at) => reaches[at]);
        const [first] = [...reaches.keys()]
          .filter((at) => reaches[at] !== undefined)
          .sort((a, b) => reaches[a]! - reaches[b]! || a - b);
        expect(found).toBe(first);
      }),
    );
  });
});

describe('the pacer of a stream', () => {
  it('decodes until there is a picture, waits for a buffer, makes it, and repeats it', () => {
    const pacer = new StreamPacer(25, true, false);
    expect(pacer.next(10, 'none', false, 9)).toBe('decode');
    expect(pacer.next(10, 'decoded', false, 9)).toBe('await buffer');
    expect(pacer.next(10, 'decoded', true, 9)).toBe('make');
    expect(pacer.next(11, 'made', false, 9)).toBe('repeat');
    expect(pacer.next(12, 'skipped', true, 9)).toBe('skip');
  });

  it('makes no picture that would be ready too late, and all of them at rest', () => {
    const pacer = new StreamPacer(25, true, false);
    pacer.onMade(2);
    expect(pacer.next(10, 'decoded', true, 8.9)).toBe('make');
    expect(pacer.next(10, 'decoded', true, 9.1)).toBe('skip');
    const resting = new StreamPacer(25, false, false);
    resting.onMade(2);
    expect(resting.next(10, 'decoded', true, 50)).toBe('make');
    expect(resting.next(10, 'none', true, 50)).toBe('decode');
  });

  it('goes on at a key frame when it would never catch up, and not at one behind the end', () => {
    const pacer = new StreamPacer(25, true, false);
    // A decoder that brings one picture in the time of two frames.
    let playhead = 11;
    let action = pacer.next(10, 'none', false, playhead);
    for (let frame = 10; action !== 'resync' && frame < 40; frame++) {
      playhead += 2;
      pacer.onDecoded(2, 1, playhead);
      action = pacer.next(frame + 1, 'none', false, playhead);
    }
    expect(action).toBe('resync');
    expect(pacer.resyncTarget!.from).toBeGreaterThan(playhead);
    expect(pacer.resyncTarget!.before).toBe(Infinity);
    expect(pacer.resyncAt(undefined, 500)).toBeUndefined();
    expect(pacer.resyncAt(500, 500)).toBeUndefined();
    expect(pacer.resyncAt(60, 500)).toBe(60);
    expect(pacer.next(60, 'none', false, playhead)).toBe('decode');
  });

  it('is given up near its end when it would not catch up before', () => {
    const late = (): { pacer: StreamPacer; playhead: number } => {
      const pacer = new StreamPacer(25, true, false);
      let playhead = 11;
      for (let frame = 10; pacer.next(frame, 'none', false, playhead) !== 'resync'; frame++) {
        playhead += 2;
        pacer.onDecoded(2, 1, playhead);
      }
      return { pacer, playhead };
    };
    const { pacer, playhead } = late();
    expect(pacer.resyncAt(undefined, playhead + 40)).toBeUndefined();
    expect(late().pacer.resyncAt(undefined, playhead + 20)).toBe(playhead + 20);
    // A key frame that can be reached is better.
    expect(late().pacer.resyncAt(Math.ceil(playhead) + 10, playhead + 20)).toBe(Math.ceil(playhead) + 10);
  });

  it('decides like its copy from there on', () => {
    fc.assert(
      fc.property(fc.array(fc.double({ min: 0.1, max: 3, noNaN: true }), { maxLength: 30 }), (steps) => {
        const pacer = new StreamPacer(25, true, true);
        let playhead = 0;
        steps.forEach((step, frame) => {
          playhead += step;
          pacer.onDecoded(step, 1, playhead);
          pacer.next(frame, 'none', true, playhead);
          pacer.onMade(step / 2);
        });
        const copy = pacer.copy();
        expect(copy.stateKey(playhead)).toBe(pacer.stateKey(playhead));
        for (let frame = steps.length; frame < steps.length + 5; frame++)
          for (const answer of ['none', 'decoded'] as const)
            expect(copy.next(frame, answer, true, playhead)).toBe(pacer.next(frame, answer, true, playhead));
      }),
    );
  });
});
