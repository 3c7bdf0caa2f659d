import { describe, expect, it } from 'vitest';
import { TimeStretch } from './time-stretch.js';

const RATE = 48_000;

/** A tone on the left and another on the right. */
function tones(left: number, right: number) {
  let taken = 0;
  return {
    read: (from: number, count: number): Promise<Float32Array> => {
      const sound = new Float32Array(2 * count);
      for (let i = 0; i < count; i++) {
        sound[2 * i] = 0.5 * Math.sin((2 * Math.PI * left * (from + i)) / RATE);
        sound[2 * i + 1] = 0.25 * Math.sin((2 * Math.PI * right * (from + i)) / RATE);
      }
      taken = from + count;
      return Promise.resolve(sound);
    },
    taken: (): number => taken,
  };
}

async function heard(
  speed: number,
  frames: number,
  source: Pick<ReturnType<typeof tones>, 'read'>,
): Promise<Float32Array> {
  const stretch = new TimeStretch(speed, source.read);
  stretch.seek(0);
  const blocks: Float32Array[] = [];
  let count = 0;
  while (count < frames) {
    const block = await stretch.next();
    blocks.push(block);
    count += block.length / 2;
  }
  const all = new Float32Array(2 * count);
  blocks.reduce((at, block) => (all.set(block, at), at + block.length), 0);
  return all;
}

const channel = (sound: Float32Array, which: 0 | 1): number[] =>
  Array.from({ length: sound.length / 2 }, (_, at) => sound[2 * at + which]!);

/** Frequency by the number of times that a tone rises through zero. */
function frequencyOf(samples: readonly number[]): number {
  const rises = samples.flatMap((value, at) => (at > 0 && samples[at - 1]! < 0 && value >= 0 ? [at] : []));
  return ((rises.length - 1) * RATE) / (rises.at(-1)! - rises[0]!);
}

const loudness = (samples: readonly number[]): number =>
  Math.sqrt(samples.reduce((sum, value) => sum + value * value, 0) / samples.length);

describe('sound that is made longer or shorter', () => {
  it.each([0.1, 0.5, 0.77, 1, 1.5, 2, 4])(
    'keeps its pitch and its loudness at %f times the speed',
    async (speed) => {
      const sound = await heard(speed, RATE, tones(440, 660));
      expect(frequencyOf(channel(sound, 0)) / 440).toBeCloseTo(1, 2);
      expect(frequencyOf(channel(sound, 1)) / 660).toBeCloseTo(1, 2);
      // A sine has its amplitude over the root of two.
      expect(loudness(channel(sound, 0))).toBeCloseTo(0.5 / Math.SQRT2, 2);
      expect(loudness(channel(sound, 1))).toBeCloseTo(0.25 / Math.SQRT2, 2);
    },
  );

  it('takes as much of the source as its speed says', async () => {
    for (const speed of [0.5, 1, 3]) {
      const source = tones(440, 440);
      await heard(speed, 2 * RATE, source);
      // But for what it looks ahead.
      expect(Math.abs(source.taken() - 2 * RATE * speed)).toBeLessThan(8000);
    }
  });

  it('gives out what it was given at its own speed', async () => {
    const sound = await heard(1, RATE / 2, tones(440, 300));
    const given = await tones(440, 300).read(0, RATE / 2);
    given.forEach((value, at) => expect(sound[at]).toBeCloseTo(value, 5));
  });

  it('puts what happens in the source where it belongs, to about a hundredth of a second', async () => {
    const PERIOD = RATE / 2;
    const LONG = RATE / 10;
    // A tone of a tenth of a second in the middle of each half second.
    const read = (from: number, count: number): Promise<Float32Array> => {
      const sound = new Float32Array(2 * count);
      for (let at = Math.max(0, from); at < from + count; at++)
        if (Math.abs((at % PERIOD) - PERIOD / 2) < LONG / 2)
          sound.fill(Math.sin((2 * Math.PI * 440 * at) / RATE), 2 * (at - from), 2 * (at - from) + 2);
      return Promise.resolve(sound);
    };
    const sound = channel(await heard(2, 2 * RATE, { read }), 0);
    const heardPeriod = PERIOD / 2;
    for (let first = 0; first + heardPeriod <= 2 * RATE; first += heardPeriod) {
      let [sum, moment] = [0, 0];
      for (let i = 0; i < heardPeriod; i++) {
        const energy = sound[first + i]! ** 2;
        sum += energy;
        moment += energy * i;
      }
      expect(sum).toBeGreaterThan(0);
      expect(Math.abs(moment / sum - heardPeriod / 2)).toBeLessThan(0.01 * RATE);
    }
  });
});
