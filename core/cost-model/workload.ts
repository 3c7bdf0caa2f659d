import type { Rational } from '../time/index.js';
import type { Stage } from '../playback/index.js';

/** What the player does for one clip while it is seen without a break. Frames count on the timeline. */
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
  /** Of its medium's mean picture alone on the machine, and the cores that it takes meanwhile. */
  readonly decodeMs: number;
  /** Standard deviation of the natural logarithm of `decodeMs`; none where it was measured. */
  readonly decodeSpread?: number;
  readonly decodeCores: number;
  /** Share of `decodeMs` that goes with a picture's bits; none where it is absent. */
  readonly bitShare?: number;
  /** How much longer the first picture takes after the decoder was opened. */
  readonly firstMs: number;
  /** The same after it was busy and has gone on elsewhere. */
  readonly restartMs: number;
  readonly bytesPerPicture: number;
  /** Place of its drive in the line's drives. */
  readonly drive: number;
  /** Of taking a picture out of the decoder and reducing it. */
  readonly scaleMs: number;
  readonly effectsMs: number;
  /** From the request for the clip until its decoder can be fed. */
  readonly openMs: number;
  /**
   * Whether it is played backwards: pictures are decoded forwards in runs of MOST_TURNED frames, each from a key frame on,
   * and all of them are charged to the first frame of the run.
   */
  readonly isBackwards?: boolean;
}

/** A drive as the readers of a line meet it. */
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
  /** Of each frame, from `from` on. */
  readonly composeMs: Float32Array;
  readonly showMs: number;
  /** What the browser does beside the player to bring a picture to the screen. */
  readonly presentMs: number;
  readonly cores: number;
  /** Cores that something else takes all the time. */
  readonly coresOfOthers: number;
  /** How much faster and slower the cores are by turns, as `Tempo` has it; 0 when it is absent. */
  readonly unsteadiness?: number;
  readonly decodeWorkers: number;
  /** Pictures that may wait to be shown. */
  readonly slots: number;
  readonly drives: readonly WorkloadDrive[];
  /** Bytes that are read ahead of one decoder. */
  readonly readAheadBytes: number;
  /** From the press of play until the first clip is asked for, and until sound is ready. */
  readonly startMs: number;
}

/**
 * The same line, made in one place and field by field: engines are several times as fast with objects that were all made
 * alike, and a simulation does little but read them.
 */
export function normalize(line: Workload): Workload {
  return {
    rate: line.rate,
    from: line.from,
    to: line.to,
    segments: line.segments.map(normalizeSegment),
    composeMs: line.composeMs,
    showMs: line.showMs,
    presentMs: line.presentMs,
    cores: line.cores,
    coresOfOthers: line.coresOfOthers,
    unsteadiness: line.unsteadiness ?? 0,
    decodeWorkers: line.decodeWorkers,
    slots: line.slots,
    drives: line.drives,
    readAheadBytes: line.readAheadBytes,
    startMs: line.startMs,
  };
}

const normalizeSegment = (passage: DecodeSegment): DecodeSegment => ({
  clipId: passage.clipId,
  sourceId: passage.sourceId,
  from: passage.from,
  to: passage.to,
  decodes: passage.decodes,
  repeats: passage.repeats,
  coldDecodes: passage.coldDecodes,
  bits: passage.bits,
  coldBits: passage.coldBits,
  unreferenced: passage.unreferenced,
  ownBits: passage.ownBits,
  entries: passage.entries,
  coding: passage.coding,
  decodeMs: passage.decodeMs,
  decodeSpread: passage.decodeSpread ?? 0,
  decodeCores: passage.decodeCores,
  bitShare: passage.bitShare ?? 0,
  firstMs: passage.firstMs,
  restartMs: passage.restartMs,
  bytesPerPicture: passage.bytesPerPicture,
  drive: passage.drive,
  scaleMs: passage.scaleMs,
  effectsMs: passage.effectsMs,
  openMs: passage.openMs,
  isBackwards: passage.isBackwards ?? false,
});

/** ms that reading one picture of a passage takes while nobody else reads; 0 where no drive is known. */
export function readMsOf({ drives }: Pick<Workload, 'drives'>, passage: DecodeSegment): number {
  const drive = drives[passage.drive];
  return drive ? (1000 * passage.bytesPerPicture) / drive.bytesPerSecond : 0;
}

/** ms that a stage takes of a passage's mean picture: of one that is decoded, or of one that is made. */
export function pictureMsOf(line: Pick<Workload, 'drives'>, passage: DecodeSegment, stage: Stage): number {
  if (stage === 'read') return readMsOf(line, passage);
  if (stage === 'decode') return passage.decodeMs;
  return stage === 'scale' ? passage.scaleMs : stage === 'effects' ? passage.effectsMs : 0;
}

/** What decoding some pictures of a passage takes, in mean pictures. @param bits undefined where they are not known */
export const decodeWork = (
  { bitShare = 0 }: Pick<DecodeSegment, 'bitShare'>,
  pictures: number,
  bits: number | undefined,
): number => (bits === undefined ? pictures : pictures + bitShare * (bits - pictures));

/** Whether a picture is made for a frame of a passage, by its place in it. */
export const isMade = ({ repeats, decodes }: DecodeSegment, at: number): boolean =>
  repeats ? repeats[at] === 0 : decodes[at]! > 0;

/** What a stage does for a frame of a passage that goes on: how often it does what `pictureMsOf` says. */
export function stageWork(passage: DecodeSegment, stage: Stage, frame: number): number {
  const at = frame - passage.from;
  const pictures = passage.decodes[at]!;
  if (stage === 'decode') return decodeWork(passage, pictures, passage.bits?.[at]);
  return stage === 'read' ? (passage.bits?.[at] ?? pictures) : Number(isMade(passage, at));
}

/** What one clip asks of a stage in a stretch. */
export interface SegmentSum {
  readonly sourceId: string;
  readonly ms: number;
  /** Pictures that are decoded, and that are made for the screen. */
  readonly decoded: number;
  readonly made: number;
}

/** What each clip of timeline frames [from, to) asks of a stage; those that ask nothing are left out. */
export function sumsOf(
  line: Pick<Workload, 'drives' | 'segments'>,
  stage: Stage,
  from: number,
  to: number,
): SegmentSum[] {
  return line.segments.flatMap((passage): SegmentSum[] => {
    let decoded = 0;
    let made = 0;
    let work = 0;
    for (let frame = Math.max(from, passage.from); frame < Math.min(to, passage.to); frame++) {
      const pictures = passage.decodes[frame - passage.from]!;
      decoded += pictures;
      if (isMade(passage, frame - passage.from)) made++;
      work += stageWork(passage, stage, frame);
    }
    const ms = pictureMsOf(line, passage, stage) * work;
    return ms > 0 ? [{ sourceId: passage.sourceId, ms, decoded, made }] : [];
  });
}

/** ms that a stage takes of each frame of a line when nothing else holds it up. */
export function stageMsOf(line: Workload, stage: Stage): Float32Array {
  if (stage === 'compose') return line.composeMs;
  const sums = new Float32Array(line.to - line.from);
  if (stage === 'show') return sums.fill(line.showMs);
  for (const passage of line.segments) {
    const ms = pictureMsOf(line, passage, stage);
    for (let frame = Math.max(line.from, passage.from); frame < Math.min(line.to, passage.to); frame++)
      sums[frame - line.from]! += ms * stageWork(passage, stage, frame);
  }
  return sums;
}
