import { Component, computed, inject, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { MatSlideToggleModule } from '@angular/material/slide-toggle';
import { Store } from '@ngrx/store';
import { least } from 'd3-array';
import {
  previewPixels,
  PREVIEW_SCALES,
  WORKING_LINES,
  workingSize,
  type Bypassable,
  type PreviewScale,
  type Tuning,
} from '@hone/core/levers';
import { bypassableIn } from '@hone/core/render';
import { selectTimeline } from '../state/selectors';
import { Levers } from '../playback/levers';
import { Predictions } from '../prediction/predictions';
import { milliseconds, pixels } from '../formatting/quantities';
import { CopyBoard } from './copy-board';
import { ComposingBoard } from './composing-board';
import { DecodingBoard } from './decoding-board';
import { PositionGains, type LeverPosition } from './position-gains';
import { RenderCacheBoard } from './render-cache-board';
import { TrackLevers } from './track-levers';
import { TuningBoard } from './tuning-board';

const SCALE_LEVERS = [
  { key: 'playScale', name: 'Preview scale, playing', testId: 'play-scale', when: 'playing' },
  { key: 'restScale', name: 'Preview scale, at rest', testId: 'rest-scale', when: 'at rest' },
] as const;

const BYPASS_NAMES: Readonly<Record<Bypassable, string>> = {
  colour: 'Colour',
  blur: 'Blur',
  sharpen: 'Sharpen',
  vignette: 'Vignette',
  grain: 'Grain',
  title: 'Title',
};

/** All levers together. None of them touches the timeline or the export. */
@Component({
  selector: 'hone-lever-board',
  imports: [
    CopyBoard,
    ComposingBoard,
    DecodingBoard,
    MatButtonModule,
    MatButtonToggleModule,
    MatSlideToggleModule,
    PositionGains,
    RenderCacheBoard,
    TrackLevers,
    TuningBoard,
  ],
  templateUrl: './lever-board.html',
  styleUrl: './lever-board.scss',
})
export class LeverBoard {
  private readonly store = inject(Store);
  private readonly timeline = this.store.selectSignal(selectTimeline);
  private readonly predictions = inject(Predictions);
  readonly levers = inject(Levers);
  readonly tuning = this.levers.tuning;
  readonly open = signal(true);
  readonly scales = PREVIEW_SCALES;
  readonly scalePositions: readonly LeverPosition[] = PREVIEW_SCALES.map((playScale) => ({
    name: `1:${playScale}`,
    change: { playScale, autoScale: undefined },
  }));
  readonly frameSteps: readonly LeverPosition[] = [
    { name: 'every frame', change: { everySecondFrame: undefined } },
    { name: 'every second', change: { everySecondFrame: true } },
  ];
  readonly scaleLevers = computed(() => {
    const tuning = this.tuning();
    return SCALE_LEVERS.map((lever) => ({ ...lever, pixels: this.pixelsAt(tuning, lever.when) }));
  });
  /** The timeline's own lines first. */
  readonly workingLines = computed(() => {
    const full = this.timeline()?.size.height ?? 0;
    return [full, ...WORKING_LINES.filter((lines) => lines < full)];
  });
  readonly workingPositions = computed(() => {
    const [full, ...smaller] = this.workingLines();
    return [
      { name: String(full), change: { workingLines: undefined } },
      ...smaller.map((lines) => ({ name: String(lines), change: { workingLines: lines } })),
    ];
  });
  readonly working = computed(() => {
    const timeline = this.timeline();
    const tuning = this.tuning();
    return timeline && tuning ? workingSize(timeline.size, tuning) : null;
  });
  readonly workingPixels = computed(() => {
    const size = this.working();
    return size ? pixels(size) : '';
  });
  /** Kinds of effects on the timeline, the heaviest first where it is known what they take. */
  readonly effects = computed(() => {
    const timeline = this.timeline();
    const sums = this.predictions.predicted()?.effects ?? [];
    const kinds = timeline ? bypassableIn(timeline) : [];
    const each = kinds.map((kind) => {
      const sum = sums.find((known) => known.kind === kind);
      const takes = sum ? `${milliseconds(sum.ms / sum.pictures)} a picture` : null;
      const name = BYPASS_NAMES[kind];
      return { kind, name, ms: sum?.ms ?? 0, takes, label: takes ? `${name}, ${takes}` : name };
    });
    return each.sort((a, b) => b.ms - a.ms);
  });
  readonly bypassNote = computed(() => {
    const [heaviest] = this.effects();
    if (!heaviest) return 'no effects on the timeline';
    const { bypass, bypassAtRest } = this.tuning() ?? {};
    if (bypass?.length) return bypassAtRest ? 'playing and at rest' : 'while playing; at rest they are seen';
    return heaviest.takes ? `heaviest: ${heaviest.name.toLowerCase()}, ${heaviest.takes}` : '';
  });

  /** The heaviest kinds of effects, as many as have to be bypassed until it plays; null where that is not predicted. */
  readonly bypassThatPlays = computed((): Bypassable[] | null => {
    const all = (this.predictions.recommendations() ?? []).flat();
    const playing = all.flatMap(({ change, isRealTime }) =>
      change.lever === 'effect bypass' && isRealTime ? [[...change.bypass]] : [],
    );
    return least(playing, (kinds) => kinds.length) ?? null;
  });

  readonly bypassPositions = computed((): readonly LeverPosition[] => [
    { name: 'none', change: { bypass: undefined } },
    { name: 'all', change: { bypass: this.effects().map(({ kind }) => kind) } },
  ]);
  readonly isAllBypassed = computed(() => {
    const { bypass = [] } = this.tuning() ?? {};
    return this.effects().every(({ kind }) => bypass.includes(kind));
  });

  bypassAll(isBypassed: boolean): void {
    this.levers.move({ bypass: isBypassed ? this.effects().map(({ kind }) => kind) : undefined });
  }

  bypassThatPlaysText(kinds: readonly Bypassable[]): string {
    return `Bypass ${kinds.map((kind) => BYPASS_NAMES[kind].toLowerCase()).join(', ')}: then it plays`;
  }

  moveScale(key: 'playScale' | 'restScale', scale: PreviewScale): void {
    this.levers.move({ [key]: scale });
  }

  workWith(lines: number): void {
    const isFull = lines >= (this.timeline()?.size.height ?? 0);
    this.levers.move({ workingLines: isFull ? undefined : lines });
  }

  private pixelsAt(tuning: Tuning | null, when: 'playing' | 'at rest'): string {
    const timeline = this.timeline();
    return timeline && tuning ? pixels(previewPixels(timeline.size, tuning, when)) : '';
  }
}
