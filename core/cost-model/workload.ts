import type { Rational } from '../time/index.js';
import type { Stage } from '../playback/index.js';

/** Work of the player for one clip while it is seen without a break. Frames are those of the timeline. */
export interface DecodeSegment {
  readonly clipId: string;
  readonly sourceId: string;
  readonly from: number;
  /** Behind its last frame. */
  readonly to: number;
  /**
   * Pictures that are decoded for each of its frames when it goes on from the frame before; none where the picture
   * before is shown again, or where its own was decoded for a frame before that refers to it.
   */
  readonly decodes: Uint16Array;
  /** 1 for each frame that shows the picture before again; where it is absent, those for which nothing is decoded. */
  readonly repeats?: Uint8Array | undefined;
  /** Pictures that are decoded for each of its frames when it is the first. */
  readonly coldDecodes: Uint16Array;
  /**
   * Bits of the pictures that are decoded for each of its frames when it goes on, and when it is the first, in those of
   * its medium's mean picture; absent where all are taken to be alike.
   */
  readonly bits?: Float32Array | undefined;
  readonly coldBits?: Float32Array | undefined;
  /** 1 for each frame whose own picture no other refers to: it is left out when it would come too late. */
  readonly unreferenced?: Uint8Array | undefined;
  /** Bits of each frame's own picture, in those of the mean one. */
  readonly ownBits?: Float32Array | undefined;
  /** Frames at which decoding can begin anew, with one picture, ascending. */
  readonly entries: Int32Array;
  /** Its kind of coding: pictures of one kind cost more or less than they are taken to together. */
  readonly coding: string;
  /** Decode time of its medium's mean picture, ms, alone on the machine, and the cores used meanwhile. */
  readonly decodeMs: number;
  /** Standard deviation of the natural logarithm of `decodeMs`; none where it was measured. */
  readonly decodeSpread?: number;
  readonly decodeCores: number;
  /** Share of `decodeMs` that goes with a picture's bits; none where it is absent. */
  readonly bitShare?: number;
  /** Additional time of the first picture after the decoder was opened, ms. */
  readonly firstMs: number;
  /** The same after it was busy and has gone on elsewhere. */
  readonly restartMs: number;
  readonly bytesPerPicture: number;
  /** Place of its drive in the workload's drives. */
  readonly drive: number;
  /** Time to take a picture out of the decoder and reduce it, ms. */
  readonly scaleMs: number;
  readonly effectsMs: number;
  /** From the request for the clip until its decoder can be fed. */
  readonly openMs: number;
  /**
   * Whether it is played backwards: pictures are decoded forwards in runs of MOST_TURNED frames, each from a key frame on,
   * and all of them are charged to the first frame of the run.
   */
  readonly isBackwards?: boolean;
  /** Playhead at which decoding begins, in frames, where a plan sets it. */
  readonly beginAt?: number | undefined;
}

/** A drive as the readers of a workload meet it. */
export interface WorkloadDrive {
  readonly name: string;
  readonly bytesPerSecond: number;
  /** Before the first byte of a file. */
  readonly latencyMs: number;
  /** For going elsewhere, once for each turn that one of several readers has. */
  readonly seekMs: number;
}

/** Bytes that are read in one go before another reader has its turn, as systems read ahead. */
export const TURN_BYTES = 512 * 1024;

/** A stretch of the timeline as a player meets it: all that its simulation needs to know. */
export interface Workload {
  readonly rate: Rational;
  /** Timeline frames [from, to). */
  readonly from: number;
  readonly to: number;
  /** By their first frame. */
  readonly segments: readonly DecodeSegment[];
  /** Time to compose each frame from `from` on, ms. */
  readonly composeMs: Float32Array;
  readonly showMs: number;
  /** Time the browser takes beside the player to present a picture, ms. */
  readonly presentMs: number;
  readonly cores: number;
  /** Cores that something else takes all the time. */
  readonly coresOfOthers: number;
  /** Variance of the speed of the cores (`CpuSpeedProcess`); 0 when absent. */
  readonly unsteadiness?: number;
  readonly decodeWorkers: number;
  /** Pictures that may wait to be shown. */
  readonly slots: number;
  readonly drives: readonly WorkloadDrive[];
  /** Bytes that are read ahead of one decoder. */
  readonly readAheadBytes: number;
  /** From the press of play until the first clip is asked for, and until sound is ready. */
  readonly startMs: number;
  /** 1 for each frame with a picture that is not decoded, so that the frame is not shown; absent where there is none. */
  readonly isIncomplete?: Uint8Array | undefined;
}

/**
 * The same workload, made in one place and field by field: engines are several times as fast with objects that were all made
 * alike, and a simulation does little but read them.
 */
export function normalize(workload: Workload): Workload {
  return {
    rate: workload.rate,
    from: workload.from,
    to: workload.to,
    segments: workload.segments.map(normalizeSegment),
    composeMs: workload.composeMs,
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
  isBackwards: segment.isBackwards ?? false,
  beginAt: segment.beginAt,
});

/** Time to read one picture of a segment alone on its drive, ms; 0 without a known drive. */
export function readMsOf({ drives }: Pick<Workload, 'drives'>, segment: DecodeSegment): number {
  const drive = drives[segment.drive];
  return drive ? (1000 * segment.bytesPerPicture) / drive.bytesPerSecond : 0;
}

/** ms that a stage takes of a segment's mean picture: of one that is decoded, or of one that is made. */
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

/** Whether a picture is made for a frame of a segment, by its place in it. */
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
  /** Pictures that are decoded, and that are made for the screen. */
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

/** ms that a stage takes of each frame of a workload when nothing else holds it up. */
export function stageMsOf(workload: Workload, stage: Stage): Float32Array {
  if (stage === 'compose') return workload.composeMs;
  const sums = new Float32Array(workload.to - workload.from);
  if (stage === 'show') return sums.fill(workload.showMs);
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

/** Cores that playback has to itself. */
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
