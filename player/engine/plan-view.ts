import { passagesOf, playedEffects, type Layer, type Passage } from '@hone/core/render';
import { toNumber, type Rational } from '@hone/core/time';
import type { FrameRange } from '@hone/core/timeline';
import type { MediaFile, PreviewPlan } from '../plan.js';
import type { MadePassage } from './picture-keys.js';

/** A plan as the engine looks things up in it. */
export class PlanView {
  /** All passages, by their first frame. */
  readonly passages: readonly Passage[];
  /** Whether several pictures are ever seen at once. */
  readonly hasLayers: boolean;

  constructor(readonly plan: PreviewPlan) {
    this.passages = passagesOf(plan.preview.graph);
    this.hasLayers = plan.preview.graph.stretches.some(({ layers }) => layers.length > 1);
  }

  get rate(): Rational {
    return this.plan.preview.graph.rate;
  }

  get framesPerSecond(): number {
    return toNumber(this.rate);
  }

  get length(): number {
    return this.plan.preview.graph.length;
  }

  /** The nearest frame that exists. */
  within(frame: number): number {
    return Math.min(Math.max(0, this.length - 1), Math.max(0, frame));
  }

  fileOf({ sourceId }: { readonly sourceId: string }): MediaFile | undefined {
    return this.plan.pictures[sourceId];
  }

  /** The file that a picture is taken from at rest. */
  restFileOf(layer: { readonly sourceId: string }): MediaFile | undefined {
    return this.plan.originals[layer.sourceId] ?? this.fileOf(layer);
  }

  /** Whether a frame is made of other files at rest than while it plays. */
  restsOtherwise(frame: number): boolean {
    return this.layersAt(frame).some(({ sourceId }) => sourceId in this.plan.originals);
  }

  /** A passage as it is made while it plays: without the effects that are bypassed. */
  played(passage: Passage): Passage {
    return { ...passage, effects: playedEffects(this.plan.preview, passage.effects) };
  }

  /** Passages of a range of frames that there is a file for, as their pictures are made while it plays. */
  playedPassages({ from, to }: FrameRange): MadePassage[] {
    const { rate } = this;
    const frameSize = this.plan.preview.playSize;
    const within = this.passages.filter((each) => each.from < to && from < each.to);
    return within.flatMap((each) => {
      const file = this.fileOf(each);
      const passage = this.played(each);
      const recoded = this.recodes(passage);
      return file ? [{ passage, file, frameSize, rate, scaling: 'quick' as const, recoded }] : [];
    });
  }

  /** Whether its pictures must have one coding, since they are worked on or laid over something else. */
  recodes({ effects }: Passage): boolean {
    return effects.length > 0 || this.hasLayers;
  }

  /** Visible layers of a frame, the lowest first. */
  layersAt(frame: number): readonly Layer[] {
    const { stretches } = this.plan.preview.graph;
    return stretches.find((stretch) => stretch.from <= frame && frame < stretch.to)?.layers ?? [];
  }

  /** The clips of a frame that there is a file to play from. */
  clipsAt(frame: number): readonly string[] {
    return this.layersAt(frame)
      .filter((layer) => this.fileOf(layer))
      .map((layer) => layer.clipId);
  }

  passagesAt(frame: number): readonly Passage[] {
    return this.passages.filter((passage) => passage.from <= frame && frame < passage.to);
  }
}
