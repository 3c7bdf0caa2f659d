import type { Rational } from '../time/index.js';
import type { Stage } from '../playback/index.js';

/** Work of the player for one clip while it is seen without a break. Frames are those of the timeline. */
export interface DecodeSegment {
  readonly clipId: string;
  readonly sourceId: string;
  readonly from: number;
  /** End of its frames. */
  readonly to: number;
  /**
   * Pictures to decode for each of its frames after the frame before; 0 where it repeats the picture before, or where its
   * own was decoded earlier as a reference.
   */
  readonly decodes: Uint16Array;
  /** 1 for each frame that repeats the picture before; absent where those are the frames without decoding. */
  readonly repeats?: Uint8Array | undefined;
  /** Pictures to decode for each of its frames from a cold start. */
  readonly coldDecodes: Uint16Array;
  /**
   * Bits of the pictures to decode for each of its frames, sequentially and from a cold start, in mean pictures of its
   * medium; absent where all pictures count as equal.
   */
  readonly bits?: Float32Array | undefined;
  readonly coldBits?: Float32Array | undefined;
  /** 1 for each frame with an unreferenced picture, which is skipped when late. */
  readonly unreferenced?: Uint8Array | undefined;
  /** Bits of each frame's own picture, in mean pictures. */
  readonly ownBits?: Float32Array | undefined;
  /** Frames at which decoding can start with one picture, ascending. */
  readonly entries: Int32Array;
  /** Its kind of coding, with one calibration factor for all pictures of a kind. */
  readonly coding: string;
  /** Decode time of its medium's mean picture, ms, alone on the machine, and the cores used meanwhile. */
  readonly decodeMs: number;
  /** Standard deviation of the natural logarithm of `decodeMs`; absent where it was measured. */
  readonly decodeSpread?: number;
  readonly decodeCores: number;
  /** Share of `decodeMs` that scales with a picture's bits; 0 when absent. */
  readonly bitShare?: number;
  /** Additional time of the first picture after the decoder was opened, ms. */
  readonly firstMs: number;
  /** Additional time of the first picture after the decoder moved, ms. */
  readonly restartMs: number;
  readonly bytesPerPicture: number;
  /** Index of its drive in the workload's drives. */
  readonly drive: number;
  /** Time to take a picture out of the decoder and reduce it, ms. */
  readonly scaleMs: number;
  readonly effectsMs: number;
  /** Time from the request for the clip until its decoder can be fed, ms. */
  readonly openMs: number;
  /**
   * Frames of a run, where it is played backwards: each run is decoded forwards from its key frame, with its whole cost at
   * its first frame.
   */
  readonly turned?: number | undefined;
  /** Playhead at which decoding begins, in frames, where a plan sets it. */
  readonly beginAt?: number | undefined;
}

/** A drive, as the readers of a workload share it. */
export interface WorkloadDrive {
  readonly name: string;
  readonly bytesPerSecond: number;
  /** Latency before the first byte of a file, ms. */
  readonly latencyMs: number;
  /** Additional time for each turn of one of several readers, ms. */
  readonly seekMs: number;
}

/** Bytes that one reader reads in a turn, as systems read ahead. */
export const TURN_BYTES = 512 * 1024;

/** Complete input of a simulation: the work of the player for a range of the timeline. */
export interface Workload {
  readonly rate: Rational;
  /** Timeline frames [from, to). */
  readonly from: number;
  readonly to: number;
  /** Sorted by first frame. */
  readonly segments: readonly DecodeSegment[];
  /** Time to compose each frame from `from` on, ms. */
  readonly composeMs: Float32Array;
  /** 1 for each frame that is not drawn, since the picture before it stands; absent where all are drawn. */
  readonly isStanding?: Uint8Array | undefined;
  /** Time to draw a frame, ms. */
  readonly showMs: number;
  /** Time the browser takes beside the player to present a picture, ms. */
  readonly presentMs: number;
  readonly cores: number;
  /** Cores that other programs use all the time. */
  readonly coresOfOthers: number;
  /** Variance of the speed of the cores (`CpuSpeedProcess`); 0 when absent. */
  readonly unsteadiness?: number;
  readonly decodeWorkers: number;
  /** Number of pictures that may wait to be shown. */
  readonly slots: number;
  readonly drives: readonly WorkloadDrive[];
  /** Read-ahead of one decoder, bytes. */
  readonly readAheadBytes: number;
  /** Time from the press of play to the request for the first clip, and to ready sound, ms. */
  readonly startMs: number;
  /** 1 for each frame with an undecoded picture, which is not shown; absent where everything is decoded. */
  readonly isIncomplete?: Uint8Array | undefined;
}

/**
 * A copy with fields in one fixed order: JavaScript engines read objects of one shape several times as fast, and a
 * simulation does little else.
 */
export function normalize(workload: Workload): Workload {
  return {
    rate: workload.rate,
    from: workload.from,
    to: workload.to,
    segments: workload.segments.map(normalizeSegment),
    composeMs: workload.composeMs,
    isStanding: workload.isStanding,
    showMs: workload.showMs,
    presentMs: workload.presentMs,
    cores: workload.cores,
    coresOfOthers: workload.coresOfOthers,
    unsteadiness: workload.unsteadiness ?? 0,
    decodeWorkers: workload.decodeWorkers,
    slots: workload.slots,
    drives: workload.drives,
    readAheadBytes: workload.readAheadBytes,
    startMs: workload.startMs,
    isIncomplete: workload.isIncomplete,
  };
}

const normalizeSegment = (segment: DecodeSegment): DecodeSegment => ({
  clipId: segment.clipId,
  sourceId: segment.sourceId,
  from: segment.from,
  to: segment.to,
  decodes: segment.decodes,
  repeats: segment.repeats,
  coldDecodes: segment.coldDecodes,
  bits: segment.bits,
  coldBits: segment.coldBits,
  unreferenced: segment.unreferenced,
  ownBits: segment.ownBits,
  entries: segment.entries,
  coding: segment.coding,
  decodeMs: segment.decodeMs,
  decodeSpread: segment.decodeSpread ?? 0,
  decodeCores: segment.decodeCores,
  bitShare: segment.bitShare ?? 0,
  firstMs: segment.firstMs,
  restartMs: segment.restartMs,
  bytesPerPicture: segment.bytesPerPicture,
  drive: segment.drive,
  scaleMs: segment.scaleMs,
  effectsMs: segment.effectsMs,
  openMs: segment.openMs,
  turned: segment.turned,
  beginAt: segment.beginAt,
});

/** Time to read one picture of a segment alone on its drive, ms; 0 without a known drive. */
export function readMsOf({ drives }: Pick<Workload, 'drives'>, segment: DecodeSegment): number {
  const drive = drives[segment.drive];
  return drive ? (1000 * segment.bytesPerPicture) / drive.bytesPerSecond : 0;
}

/** Time of a stage for a segment's mean picture, ms: for each one decoded, or for each one made. */
export function pictureMsOf(
  workload: Pick<Workload, 'drives'>,
  segment: DecodeSegment,
  stage: Stage,
): number {
  if (stage === 'read') return readMsOf(workload, segment);
  if (stage === 'decode') return segment.decodeMs;
  return stage === 'scale' ? segment.scaleMs : stage === 'effects' ? segment.effectsMs : 0;
}

/** Decode time of some pictures of a segment, in mean pictures. @param bits undefined where they are unknown */
export const decodeWork = (
  { bitShare = 0 }: Pick<DecodeSegment, 'bitShare'>,
  pictures: number,
  bits: number | undefined,
): number => (bits === undefined ? pictures : pictures + bitShare * (bits - pictures));

/** Whether a picture is made for a frame of a segment, by its index. */
export const isMade = ({ repeats, decodes }: DecodeSegment, at: number): boolean =>
  repeats ? repeats[at] === 0 : decodes[at]! > 0;

/** Number of times that a stage runs for a frame of a continuing segment; each takes `pictureMsOf`. */
export function stageWork(segment: DecodeSegment, stage: Stage, frame: number): number {
  const at = frame - segment.from;
  const pictures = segment.decodes[at]!;
  if (stage === 'decode') return decodeWork(segment, pictures, segment.bits?.[at]);
  return stage === 'read' ? (segment.bits?.[at] ?? pictures) : Number(isMade(segment, at));
}

/** Work of one clip for a stage in a stretch. */
export interface SegmentSum {
  readonly sourceId: string;
  readonly ms: number;
  /** Number of pictures decoded, and of preview pictures made. */
  readonly decoded: number;
  readonly made: number;
}

/** Work of each clip for a stage in timeline frames [from, to), without clips that need none. */
export function sumsOf(
  workload: Pick<Workload, 'drives' | 'segments'>,
  stage: Stage,
  from: number,
  to: number,
): SegmentSum[] {
  return workload.segments.flatMap((segment): SegmentSum[] => {
    let decoded = 0;
    let made = 0;
    let work = 0;
    for (let frame = Math.max(from, segment.from); frame < Math.min(to, segment.to); frame++) {
      const pictures = segment.decodes[frame - segment.from]!;
      decoded += pictures;
      if (isMade(segment, frame - segment.from)) made++;
      work += stageWork(segment, stage, frame);
    }
    const ms = pictureMsOf(workload, segment, stage) * work;
    return ms > 0 ? [{ sourceId: segment.sourceId, ms, decoded, made }] : [];
  });
}

/** Time that a frame takes to be drawn and to be presented, ms. */
export function drawMsAt(
  { isStanding, from, showMs, presentMs }: Workload,
  frame: number,
): { readonly show: number; readonly present: number } {
  return isStanding?.[frame - from] ? NOT_DRAWN : { show: showMs, present: presentMs };
}

const NOT_DRAWN = { show: 0, present: 0 } as const;

/** Time of a stage for each frame of a workload without waiting, ms. */
export function stageMsOf(workload: Workload, stage: Stage): Float32Array {
  if (stage === 'compose') return workload.composeMs;
  const sums = new Float32Array(workload.to - workload.from);
  if (stage === 'show') return sums.map((_, at) => drawMsAt(workload, workload.from + at).show);
  for (const segment of workload.segments) {
    const ms = pictureMsOf(workload, segment, stage);
    for (
      let frame = Math.max(workload.from, segment.from);
      frame < Math.min(workload.to, segment.to);
      frame++
    )
      sums[frame - workload.from]! += ms * stageWork(segment, stage, frame);
  }
  return sums;
}

/**
 * Time of a stage for each frame, ms, that holds playback up: decoders of several clips work side by side, so that of them
 * the busiest counts.
 */
export function busiestMsOf(workload: Workload, stage: Stage): Float32Array {
  if (stage !== 'decode') return stageMsOf(workload, stage);
  const most = new Float32Array(workload.to - workload.from);
  for (const segment of workload.segments)
    for (
      let frame = Math.max(workload.from, segment.from);
      frame < Math.min(workload.to, segment.to);
      frame++
    )
      most[frame - workload.from] = Math.max(most[frame - workload.from]!, decodeMsOf(segment, frame));
  return most;
}

/** Number of cores available to playback. */
export const availableCores = ({ cores, coresOfOthers }: Pick<Workload, 'cores' | 'coresOfOthers'>): number =>
  Math.max(0.2, cores - coresOfOthers);

/** Decode cost of a frame that continues from the frame before, ms. */
export const decodeMsOf = (segment: DecodeSegment, frame: number): number =>
  stageWork(segment, 'decode', frame) * segment.decodeMs;

/** Decode cost of a frame and of all pictures from its key frame on, ms; without the start of the decoder. */
export function coldDecodeMs(segment: DecodeSegment, frame: number): number {
  const at = frame - segment.from;
  return segment.decodeMs * decodeWork(segment, segment.coldDecodes[at]!, segment.coldBits?.[at]);
}

/** Part of `decodeMsOf` that non-reference frame skipping saves, ms. */
export function skippableDecodeMs(segment: DecodeSegment, frame: number): number {
  const at = frame - segment.from;
  if (segment.unreferenced?.[at] !== 1) return 0;
  const ownMs = segment.decodeMs * decodeWork(segment, 1, segment.ownBits?.[at]);
  return Math.min(decodeMsOf(segment, frame), ownMs);
}

/** Cost factors by stage. */
export interface CostFactors {
  readonly decode: (segment: DecodeSegment) => number;
  readonly scale: number;
  readonly effects: number;
  readonly compose: number;
  readonly show: number;
}

/** Multiplies the processor costs of a workload. */
export const multiplyCosts = (
  workload: Workload,
  { decode, scale, effects, compose, show }: CostFactors,
): Workload => ({
  ...workload,
  segments: workload.segments.map((segment) => {
    const factor = decode(segment);
    return {
      ...segment,
      decodeMs: segment.decodeMs * factor,
      firstMs: segment.firstMs * factor,
      restartMs: segment.restartMs * factor,
      scaleMs: segment.scaleMs * scale,
      effectsMs: segment.effectsMs * effects,
    };
  }),
  composeMs: workload.composeMs.map((ms) => ms * compose),
  showMs: workload.showMs * show,
  presentMs: workload.presentMs * show,
});
