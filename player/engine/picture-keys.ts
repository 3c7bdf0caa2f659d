import { bisectLeft, group } from 'd3-array';
import { bareStage, isDoneInComposing, stagesOf, type Passage } from '@hone/core/render';
import type { KeptRange } from '@hone/core/pacing';
import { mergeRanges, type FrameRange, type FrameSize } from '@hone/core/timeline';
import type { Rational } from '@hone/core/time';
import { changesByFrame } from '../decode/picture-stages.js';
import type { ResampleKind } from '../decode/resample-table.js';
import { SourceFrames } from '../decode/source-frames.js';
import type { MediaFile } from '../plan.js';
import type { Uses } from './picture-room.js';

/** How the picture of a passage is made. */
export interface MadePassage {
  readonly passage: Passage;
  readonly file: MediaFile;
  readonly frameSize: FrameSize;
  readonly rate: Rational;
  readonly scaling: ResampleKind;
  readonly recoded: boolean;
  /** Whether effects of pixels are done on the graphics processor, where one stage holds them. */
  readonly onGraphics: boolean;
  /** Frames of the timeline that a picture stands for. */
  readonly hold: number;
}

/** Kinds of pictures by their content. They are numbered once and for all, so that keys outlive a plan. */
export class PictureKinds {
  private readonly numbers = new Map<string, number>();

  numberOf(content: unknown): number {
    const text = JSON.stringify(content);
    const known = this.numbers.get(text);
    if (known !== undefined) return known;
    this.numbers.set(text, this.numbers.size);
    return this.numbers.size - 1;
  }
}

/** Above the number of frames in any file, and of frames in any clip. */
const FRAMES = 2 ** 26;

/** A passage whose pictures are numbered. */
interface Numbered {
  readonly passage: Passage;
  readonly frames: SourceFrames;
  /** Whether a picture depends on its frame of the source only, and not on that of the clip. */
  readonly isBySource: boolean;
}

/** A passage with what its keys are made of. */
interface Keyed extends Numbered {
  readonly kind: number;
  /** Least and greatest number of its pictures. */
  readonly least: number;
  readonly greatest: number;
}

/**
 * Keys of the pictures of a plan, by their content: two frames with one key show the same picture. A key is the number of
 * the kind of picture, and that of the frame.
 */
export class PictureKeys implements Uses {
  private readonly byClip: ReadonlyMap<string, readonly Keyed[]>;
  private readonly byKind: ReadonlyMap<number, readonly Keyed[]>;
  /** Place of playback, from which the next use is counted; after the end of the run it begins again. */
  playhead = 0;
  run: FrameRange = { from: 0, to: 0 };
  /** Frames of the timeline that show a picture, ascending, by key. */
  private readonly usesByKey = new Map<number, readonly number[]>();

  constructor(made: readonly MadePassage[], kinds: PictureKinds) {
    const keyed = made.map((each) => keyedOf(each, kinds));
    this.byClip = group(keyed, ({ passage }) => passage.clipId);
    this.byKind = group(keyed, ({ kind }) => kind);
  }

  /** The key of the picture that a clip has at a frame; undefined where there is no file for it. */
  keyOf(clipId: string, frame: number): number | undefined {
    const keyed = this.keyedOf({ clipId, from: frame });
    return keyed && keyed.kind * FRAMES + numberOf(keyed, frame);
  }

  /** The key of a picture that a passage's decoder makes of another frame of the source. */
  keyInPassing(passage: Passage, sourceFrame: number): number | undefined {
    const keyed = this.keyedOf(passage);
    return keyed?.isBySource ? keyed.kind * FRAMES + sourceFrame : undefined;
  }

  /** Frames of the source, beside a passage's own, that show the same kind of picture later in the run. */
  inPassing(passage: Passage, isKept: (key: number) => boolean): FrameRange[] {
    const own = this.keyedOf(passage);
    if (!own?.isBySource) return [];
    const wanted: FrameRange[] = [];
    for (const { frames, passage: other } of this.byKind.get(own.kind)!) {
      const end = Math.min(other.to, this.run.to);
      for (let frame = Math.max(other.from, this.playhead); frame < end; frame++) {
        const from = frames.shownFor(frame);
        const isOwn = passage.clipId === other.clipId && passage.from <= frame && frame < passage.to;
        if (!isOwn && !isKept(own.kind * FRAMES + from)) wanted.push({ from, to: from + 1 });
      }
    }
    return mergeRanges(wanted);
  }

  private keyedOf({ clipId, from }: Pick<Passage, 'clipId' | 'from'>): Keyed | undefined {
    return this.byClip.get(clipId)?.find(({ passage }) => passage.from <= from && from < passage.to);
  }

  framesUntil(key: number): number {
    const uses = this.usesOf(key);
    const { from, to } = this.run;
    const next = uses[bisectLeft(uses, this.playhead)];
    if (next !== undefined && next < to) return next - this.playhead;
    const again = uses[bisectLeft(uses, from)];
    return again !== undefined && again < to ? to - this.playhead + again - from : Infinity;
  }

  /** Frames of the run that show pictures with some keys. */
  rangesOf(keys: Iterable<number>): KeptRange[] {
    const byClip = new Map<string, FrameRange[]>();
    for (const key of keys)
      for (const keyed of this.showing(key))
        for (const frame of framesOf(keyed, key % FRAMES, this.run)) {
          const { clipId } = keyed.passage;
          const frames = byClip.get(clipId) ?? [];
          frames.push({ from: frame, to: frame + 1 });
          byClip.set(clipId, frames);
        }
    return [...byClip].flatMap(([clipId, frames]) =>
      mergeRanges(frames).map((range) => ({ clipId, ...range })),
    );
  }

  /** Found once for each key, since a full room asks for all of them with each picture that is made. */
  private usesOf(key: number): readonly number[] {
    const known = this.usesByKey.get(key);
    if (known) return known;
    const everywhere = { from: 0, to: Infinity };
    const uses = this.showing(key).flatMap((keyed) => [...framesOf(keyed, key % FRAMES, everywhere)]);
    uses.sort((a, b) => a - b);
    this.usesByKey.set(key, uses);
    return uses;
  }

  /** Passages that may show a picture. */
  private showing(key: number): readonly Keyed[] {
    const number = key % FRAMES;
    const ofKind = this.byKind.get(Math.floor(key / FRAMES)) ?? [];
    return ofKind.filter(({ least, greatest }) => least <= number && number <= greatest);
  }
}

function keyedOf({ passage, ...made }: MadePassage, kinds: PictureKinds): Keyed {
  const { file, frameSize, rate, scaling, recoded, onGraphics, hold } = made;
  const { clipStart, effects, framing, sourceIn, speed, to } = passage;
  const stages = stagesOf(effects, file.shownSize, frameSize, framing);
  const isBare = onGraphics && isDoneInComposing(effects);
  const isBySource =
    file.constantRate && speed.num > 0 && !changesByFrame(isBare ? [bareStage(stages[0])] : stages);
  // The identity of an effect is not seen.
  const seen = stages.map(({ effects: each, pose }) => ({
    pose,
    effects: each.map(({ kind, values, keyframes, enabled }) => ({ kind, values, keyframes, enabled })),
  }));
  const content = { url: file.url, stamp: file.stamp, seen, frameSize, scaling, recoded, isBare };
  const frames = new SourceFrames({ file, to, clipStart, sourceIn, speed, timelineRate: rate, hold });
  const keyed = { passage, frames, isBySource };
  return {
    ...keyed,
    kind: kinds.numberOf(isBySource ? content : { ...content, sourceIn, speed, rate }),
    // Where a picture depends on its frame of the source, the passage is played forwards.
    least: numberOf(keyed, passage.from),
    greatest: numberOf(keyed, to - 1),
  };
}

/** Frames of a passage, within a range, that show one picture. */
function* framesOf(
  { frames, isBySource, passage }: Numbered,
  number: number,
  { from, to }: FrameRange,
): Generator<number, undefined> {
  const end = Math.min(to, passage.to);
  let frame = Math.max(from, passage.from);
  while (frame < end) {
    const use = isBySource ? frames.firstFor(number, frame) : passage.clipStart + number;
    if (use === undefined || use < frame || use >= end) return;
    yield use;
    frame = use + 1;
  }
}

const numberOf = ({ frames, isBySource, passage }: Numbered, frame: number): number =>
  isBySource ? frames.shownFor(frame) : frames.held(frame) - passage.clipStart;
