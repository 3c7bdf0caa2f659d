import { SIMULATED_RIGS, type HardwarePath } from '@hone/core/machine';
import { describe, expect, it } from 'vitest';
import { ffmpegNote, ffmpegReason, outdatedNote } from './ffmpeg-words';

const figure = SIMULATED_RIGS[0]!.kernels[0]!.msPerMegapixel;
const path = (
  use: HardwarePath['use'],
  name: string,
  codec: string,
  rates: readonly [number, number] | string,
): HardwarePath => ({
  ...{ use, name, codec, works: typeof rates !== 'string', reason: typeof rates === 'string' ? rates : '' },
  framesPerSecond: typeof rates === 'string' ? undefined : { ...figure, value: rates[0] },
  processorFramesPerSecond: typeof rates === 'string' ? undefined : { ...figure, value: rates[1] },
  likeness: undefined,
});

const QUICK = [path('decode', 'vaapi', 'hevc', [210, 40]), path('encode', 'h264_vaapi', 'h264', [300, 150])];
const SLOW = [path('decode', 'vaapi', 'hevc', [30, 40]), path('encode', 'h264_vaapi', 'h264', 'no device')];

describe('what ffmpeg works by', () => {
  it('is said with the speeds that were measured', () => {
    expect(ffmpegNote(QUICK, 'automatic')).toBe(
      'Now H.265 is decoded by vaapi (210 frames/s; processor 40 frames/s); pictures are encoded by h264_vaapi (300 frames/s; processor 150 frames/s). The processor does the rest.',
    );
    expect(ffmpegNote(QUICK, 'processor')).toBe('Now the processor decodes and encodes all of it.');
    expect(ffmpegNote(SLOW, 'hardware')).toContain('H.265 is decoded by vaapi (30 frames/s');
    expect(ffmpegNote([], 'automatic')).toContain('measure this machine');
    expect(ffmpegReason(QUICK)).toBeNull();
  });

  it('tells when figures are of another choice', () => {
    const [decoder] = SIMULATED_RIGS[0]!.decoders;
    const served = { ...decoder!, decoder: 'server', codec: 'hevc', acceleration: 'hardware' } as const;
    const rig = { decoders: [served], hardwarePaths: QUICK };
    expect(outdatedNote(rig, 'automatic')).toBeNull();
    expect(outdatedNote(rig, 'processor')).toContain('H.265');
    const onProcessor = { ...rig, decoders: [{ ...served, acceleration: 'software' as const }] };
    expect(outdatedNote(onProcessor, 'processor')).toBeNull();
    expect(outdatedNote(onProcessor, 'automatic')).toContain('Measure again');
  });

  it('is the processor for a reason', () => {
    expect(ffmpegNote(SLOW, 'automatic')).toBe(ffmpegNote(SLOW, 'processor'));
    expect(ffmpegReason(SLOW)).toContain('quicker here');
    const broken = [path('decode', 'vaapi', 'h264', 'No VA display found')];
    expect(ffmpegReason(broken)).toContain('No hardware path');
    // What was tried before speeds were measured is not taken.
    const older = QUICK.map((each) => ({ ...each, framesPerSecond: undefined }));
    expect(ffmpegNote(older, 'hardware')).toBe(ffmpegNote(older, 'processor'));
  });
});
