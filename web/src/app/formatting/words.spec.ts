import type { Finding } from '@hone/core/findings';
import { describe, expect, it } from 'vitest';
import { findingSentence, findingTitle } from './finding-words';
import {
  bitRate,
  dataRate,
  bytes,
  count,
  milliseconds,
  percentOf,
  pixels,
  scaleText,
  wait,
} from './quantities';

describe('quantities', () => {
  it('have a unit and at most three significant digits', () => {
    expect(bytes(780_000_000)).toBe('780 MB');
    expect(bytes(12_441_600)).toBe('12.4 MB');
    expect(bytes(512)).toBe('512 bytes');
    expect(bitRate(57_218_838)).toBe('57.2 Mbit/s');
    expect(dataRate(57_218_838)).toBe('57.2 Mbit/s (7.15 MB/s)');
    expect(milliseconds(41.6667)).toBe('41.7 ms');
    expect(milliseconds(5160)).toBe('5.16 s');
    expect(milliseconds(null)).toBe('–');
    expect(percentOf(0.018)).toBe('0 %');
    expect(percentOf(222.4)).toBe('222 %');
  });

  it('are waited for in words', () => {
    expect(wait(0.4)).toBe('under 1 s');
    expect(wait(42.1)).toBe('43 s');
    expect(wait(175)).toBe('2 min 55 s');
    expect(wait(1800)).toBe('30 min');
    expect(wait(9000)).toBe('2 h 30 min');
  });

  it('of a preview name the working size where it is a smaller one', () => {
    expect(scaleText(4, {})).toBe('1:4');
    expect(scaleText(2, { workingLines: 1080 })).toBe('1:2 of 1080 lines');
  });

  it('count pixels in full', () => {
    expect(pixels({ width: 3840, height: 2160 })).toBe('3840 × 2160');
    expect(count(1, 'clip', 'clips')).toBe('1 clip');
  });
});

describe('a finding', () => {
  const finding: Finding = {
    stage: 'decode',
    loadPercent: { read: 3, decode: 222, scale: 20, effects: 0, compose: 0, show: 19 },
    budgetMs: 41.667,
    from: 0,
    to: 1056,
    dropped: 575,
    wanted: 1056,
    framesPerSecondShown: 10.93,
    decodedPerFrame: 1.7,
  };

  it('is a sentence with the numbers that it comes from', () => {
    const sentence = findingSentence(finding, 24);
    expect(sentence).toContain('Decoding holds playback back');
    expect(sentence).toContain('92.5 ms where a frame may take 41.7 ms');
    expect(sentence).toContain('10.9 frames/s of 24 frames/s');
    expect(sentence).toContain('575 of 1056 frames are dropped');
    expect(sentence).toContain('1.7 pictures are decoded');
  });

  it('does not claim that a stage exceeds the budget when it does not', () => {
    const within = { ...finding, loadPercent: { ...finding.loadPercent, decode: 80 } };
    expect(findingSentence(within, 24)).toContain('leaves too little to recover at cuts');
  });

  it('blames no stage that is far from the budget', () => {
    const idle = { ...finding, dropped: 16, loadPercent: { ...finding.loadPercent, decode: 44 } };
    expect(findingSentence(idle, 24)).toContain(
      'no stage comes near the frame budget: Decode, the busiest, takes 44 %',
    );
    expect(findingTitle(idle)).toBe('It drops frames');
    expect(findingTitle(finding)).toBe('It does not play in real time');
  });

  it('says that it plays, and what is busiest', () => {
    const plays = {
      ...finding,
      stage: null,
      dropped: 0,
      loadPercent: { ...finding.loadPercent, decode: 35 },
    };
    expect(findingSentence(plays, 24)).toBe(
      'It plays in real time: no frame was dropped of 1056. Decode is the busiest stage, at 35 % of the frame budget.',
    );
  });
});
