import { passagesOf, withoutKinds, type Layer, type Passage, type RenderGraph } from '@hone/core/render';
import { heldFrame } from '@hone/core/pacing';
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

  private seen: PlanView | undefined;

  /** As it plays: from light copies and cached stretches where there are any. */
  constructor(
    readonly plan: PreviewPlan,
    private readonly graph: RenderGraph = plan.preview.played,
    private readonly files: PreviewPlan['pictures'] = plan.pictures,
  ) {
    this.passages = passagesOf(graph);
    this.hasLayers = graph.stretches.some(({ layers }) => layers.length > 1);
  }

  /** As it is seen at rest: from the originals. */
  get refined(): PlanView {
    const { preview, pictures, originals } = this.plan;
    this.seen ??= new PlanView(this.plan, preview.rested, { ...pictures, ...originals });
    return this.seen;
  }

  get rate(): Rational {
    return this.graph.rate;
  }

  /** Whether frames are composed on the graphics processor. */
  get onGraphics(): boolean {
    return this.plan.composeOn === 'graphics processor';
  }

  get framesPerSecond(): number {
    return toNumber(this.rate);
  }

  get length(): number {
    return this.graph.length;
  }

  /** The nearest frame that exists. */
  within(frame: number): number {
    return Math.min(Math.max(0, this.length - 1), Math.max(0, frame));
  }

  fileOf({ sourceId }: { readonly sourceId: string }): MediaFile | undefined {
    return this.files[sourceId];
  }

  /** Whether a frame is made of other files at rest than while it plays. */
  restsOtherwise(frame: number): boolean {
    const { originals, preview } = this.plan;
    return (
      this.layersAt(frame).some(({ sourceId }) => sourceId in originals) ||
      preview.cached.some(({ from, to }) => from <= frame && frame < to)
    );
  }

  /** Whether tracks or effects of clips are left out of a frame while it plays. */
  isIncomplete(frame: number): boolean {
    const { rested, live } = this.plan.preview;
    if (live === rested) return false;
    const [seen, played] = [rested, live].map((each) => contentsOf(each, frame));
    return seen !== played;
  }

  /** A passage as it is made while it plays: without the kinds of effects that are bypassed. */
  played(passage: Passage): Passage {
    return { ...passage, effects: withoutKinds(passage.effects, this.plan.preview.bypass) };
  }

  /** A passage as it is made at rest. */
  rested(passage: Passage): Passage {
    return { ...passage, effects: withoutKinds(passage.effects, this.plan.preview.restBypass) };
  }

  /** Passages of a range of frames that there is a file for, as their pictures are made while it plays. */
  playedPassages({ from, to }: FrameRange): MadePassage[] {
    const { onGraphics, rate } = this;
    const { playSize: frameSize, hold } = this.plan.preview;
    const within = this.passages.filter((each) => each.from < to && from < each.to);
    return within.flatMap((each) => {
      const file = this.fileOf(each);
      const passage = this.played(each);
      const recoded = this.recodes(passage);
      const made = { passage, frameSize, rate, scaling: 'quick' as const, recoded, onGraphics, hold };
      return file ? [{ ...made, file }] : [];
    });
  }

  /** Whether its pictures must have one coding, since they are worked on or laid over something else. */
  recodes({ effects }: Passage): boolean {
    return effects.length > 0 || this.hasLayers;
  }

  /** Visible layers of a frame, the lowest first. */
  layersAt(frame: number): readonly Layer[] {
    return layersOf(this.graph, frame);
  }

  /** The clips of a frame that there is a file to play from. */
  clipsAt(frame: number): readonly string[] {
    return this.layersAt(frame)
      .filter((layer) => this.fileOf(layer))
      .map((layer) => layer.clipId);
  }

  /** Whether a frame, played after another one, lets the same pictures stand. */
  isStanding(frame: number, before: number): boolean {
    const { hold } = this.plan.preview;
    const isPair = frame > before && heldFrame(frame, hold) === heldFrame(before, hold);
    return isPair && layersOf(this.graph, frame) === layersOf(this.graph, before);
  }

  passagesAt(frame: number): readonly Passage[] {
    return this.passages.filter((passage) => passage.from <= frame && frame < passage.to);
  }
}

const layersOf = ({ stretches }: RenderGraph, frame: number): readonly Layer[] =>
  stretches.find(({ from, to }) => from <= frame && frame < to)?.layers ?? [];

const contentsOf = (graph: RenderGraph, frame: number): string =>
  layersOf(graph, frame)
    .map(({ clipId, effects }) => `${clipId} ${effects.length}`)
    .join(' ');
