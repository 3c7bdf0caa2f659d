import { seeded } from './random.js';

export const SOUND_RATE = 48_000;

/** Running water: noise through slow filters, swelling and falling. @returns stereo samples, interleaved, 32-bit float */
export function water(seconds: number, seed: number): Float32Array {
  const random = seeded(seed);
  const count = Math.round(seconds * SOUND_RATE);
  const samples = new Float32Array(2 * count);
  const low = [0, 0];
  const high = [0, 0];
  for (let i = 0; i < count; i++) {
    const swell = 0.6 + 0.4 * Math.sin((2 * Math.PI * i) / SOUND_RATE / 3.7);
    for (const side of [0, 1] as const) {
      const noise = 2 * random() - 1;
      low[side] = low[side]! + 0.02 * (noise - low[side]!);
      high[side] = high[side]! + 0.35 * (noise - high[side]!);
      samples[2 * i + side] = swell * (0.7 * low[side] + 0.07 * (high[side] - low[side]));
    }
  }
  return samples;
}

/** Something like a voice that speaks in phrases: pulses through three resonances, for cutting by ear. */
export function voice(seconds: number, seed: number): Float32Array {
  const random = seeded(seed);
  const count = Math.round(seconds * SOUND_RATE);
  const samples = new Float32Array(2 * count);
  const vowels = [
    [700, 1200, 2600],
    [400, 2000, 2800],
    [350, 800, 2500],
    [500, 1700, 2500],
  ] as const;
  const state = [0, 0, 0, 0, 0, 0];
  let phase = 0;
  let vowel: readonly number[] = vowels[0];
  let loud = 0;
  let target = 0;
  for (let i = 0; i < count; i++) {
    if (i % Math.round(SOUND_RATE * 0.17) === 0) {
      vowel = vowels[Math.floor(random() * vowels.length)]!;
      const pausing = (i / SOUND_RATE) % 4 > 3;
      target = pausing || random() < 0.15 ? 0 : 0.5 + 0.5 * random();
    }
    loud += 0.0008 * (target - loud);
    phase += (105 + 18 * Math.sin(i / SOUND_RATE) + 10 * Math.sin((7 * i) / SOUND_RATE)) / SOUND_RATE;
    const pulse = phase % 1 < 0.08 ? 1 : 0;
    let sum = 0;
    vowel.forEach((frequency, index) => {
      const radius = 0.985;
      const a = 2 * radius * Math.cos((2 * Math.PI * frequency) / SOUND_RATE);
      const out = pulse * 0.02 + a * state[2 * index]! - radius * radius * state[2 * index + 1]!;
      state[2 * index + 1] = state[2 * index]!;
      state[2 * index] = out;
      sum += out / (index + 1);
    });
    samples[2 * i] = samples[2 * i + 1] = 0.09 * loud * sum;
  }
  return samples;
}
