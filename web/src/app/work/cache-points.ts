import { computed, inject, Injectable, signal } from '@angular/core';
import { Store } from '@ngrx/store';
import { adjustedEffect, nodesOf, proposedNode, type AdjustedEffect, type CacheNode } from '@hone/core/cache';
import {
  definitionOf,
  effectsDone,
  factsIn,
  passKindOf,
  type CachePoint,
  type KnownEffect,
} from '@hone/core/render';
import { Predictions } from '../prediction/predictions';
import { playbackFeature } from '../state/playback.feature';
import { projectFeature } from '../state/project.feature';
import { selectPlan, selectSources, selectTimeline } from '../state/selectors';

/** A node of the picture at the playhead whose result can be rendered in advance. */
export interface PointChoice {
  readonly key: string;
  readonly name: string;
  /** Undefined for the whole picture. */
  readonly point: CachePoint | undefined;
}

const WHOLE = 'whole';

/** The nodes that can be rendered in advance at the playhead, and which of them is proposed. */
@Injectable()
export class CachePoints {
  private readonly store = inject(Store);
  private readonly predictions = inject(Predictions);
  private readonly timeline = this.store.selectSignal(selectTimeline);
  private readonly past = this.store.selectSignal(projectFeature.selectPast);
  private readonly plan = this.store.selectSignal(selectPlan);
  private readonly sources = this.store.selectSignal(selectSources);
  private readonly frame = this.store.selectSignal(playbackFeature.selectFrame);
  /** Key of the point that the user selected; null while the proposed one is used. */
  private readonly selectedKey = signal<string | null>(null);

  private readonly clips = computed(() => {
    const clips = (this.timeline()?.tracks ?? []).flatMap((track) => track.clips);
    return new Map(clips.map((clip) => [clip.id, clip]));
  });
  private readonly nodes = computed((): readonly CacheNode[] => {
    const graph = this.plan()?.preview.graph;
    const frame = this.frame();
    const stretch = graph?.stretches.find(({ from, to }) => from <= frame && frame < to);
    return stretch ? nodesOf(stretch, graph!.size, factsIn(this.sources())) : [];
  });
  private readonly adjusted = computed((): AdjustedEffect | null => {
    const timeline = this.timeline();
    return timeline && adjustedEffect(timeline, this.past());
  });
  private readonly proposed = computed(() => {
    const sums = this.predictions.predicted()?.effects ?? [];
    const msOf = ({ kind }: KnownEffect): number => {
      const sum = sums.find((each) => each.kind === passKindOf(kind));
      return sum ? sum.ms / sum.pictures : 0;
    };
    return proposedNode(this.nodes(), this.adjusted(), msOf);
  });

  readonly choices = computed((): readonly PointChoice[] =>
    this.nodes().map((node) => ({
      key: keyOf(node.point),
      name: this.nameOf(node.point),
      point: node.point,
    })),
  );
  readonly selected = computed((): PointChoice | null => {
    const choices = this.choices();
    const proposed = this.proposed();
    return (
      choices.find(({ key }) => key === this.selectedKey()) ??
      (proposed && choices.find(({ key }) => key === keyOf(proposed.point))) ??
      choices[0] ??
      null
    );
  });
  /** Why less than the whole picture is proposed; null where it is not. */
  readonly reason = computed(() => {
    const [adjusted, selected, proposed] = [this.adjusted(), this.selected(), this.proposed()];
    if (!adjusted || !proposed?.point || selected?.key !== keyOf(proposed.point)) return null;
    const clip = this.clips().get(adjusted.clipId);
    const effect = effectsDone(clip?.effects)[adjusted.before];
    const subject = effect ? `${definitionOf(effect.kind).name} of “${clip!.name}”` : `“${clip?.name ?? ''}”`;
    return `${subject} was changed last: it stays live.`;
  });

  select(key: string): void {
    this.selectedKey.set(key);
  }

  nameOf(point: CachePoint | undefined): string {
    if (!point) return 'Whole picture';
    const clip = this.clips().get(point.clipId);
    const name = `“${clip?.name ?? ''}”`;
    if (point.kind === 'below') return `All below ${name}`;
    const last = effectsDone(clip?.effects).slice(0, point.effects).at(-1);
    return last ? `${name} up to ${definitionOf(last.kind).name}` : `${name} without effects`;
  }
}

const keyOf = (point: CachePoint | undefined): string =>
  point ? [point.kind, point.clipId, point.effects ?? ''].join(' ') : WHOLE;
