import type { DecodeSegment, Workload } from '../cost-model/index.js';
import { rational } from '../time/index.js';

/** Default number of frames of a workload in tests. */
export const WORKLOAD_FRAMES = 240;

export interface Sketch extends Partial<Omit<DecodeSegment, 'decodes' | 'coldDecodes' | 'entries'>> {
  /** Frames of a group of pictures. */
  readonly group?: number;
  /** Pictures decoded for each frame. */
  readonly each?: number;
  /** Pictures to decode for the first frame. */
  readonly cold?: number;
}

/** A segment of which every frame asks for the same. */
export function segmentOf({
  from = 0,
  to = WORKLOAD_FRAMES,
  group = 1,
  each = 1,
  cold = 1,
  ...more
}: Sketch = {}): DecodeSegment {
  const length = to - from;
  const decodes = new Uint16Array(length).fill(each);
  decodes[0] = cold;
  const entries = Int32Array.from({ length: Math.ceil(length / group) }, (_, at) => from + at * group);
  return {
    ...{ clipId: `c${from}`, sourceId: 's', from, to, decodes, entries },
    coldDecodes: Uint16Array.from({ length }, (_, at) => (at % group) + cold),
    ...{
      coding: 'h264',
      openMs: 10,
      firstMs: 0,
      restartMs: 0,
      decodeMs: 5,
      decodeCores: 1,
      bytesPerPicture: 1e5,
      drive: 0,
      scaleMs: 1,
      effectsMs: 0,
    },
    ...more,
  };
}

/** Segments as a stretch of 25 frames/s on a machine of four cores. */
export const workloadOf = (segments: readonly DecodeSegment[], more: Partial<Workload> = {}): Workload => ({
  ...{ rate: rational(25), from: 0, to: WORKLOAD_FRAMES, segments },
  composeMs: new Float32Array((more.to ?? WORKLOAD_FRAMES) - (more.from ?? 0)),
  ...{ showMs: 4, presentMs: 0, cores: 4, coresOfOthers: 0, decodeWorkers: 2, slots: 24 },
  drives: [{ name: '/', bytesPerSecond: 1e9, latencyMs: 0, seekMs: 0 }],
  ...{ readAheadBytes: 16e6, startMs: 20 },
  ...more,
});
