import { Component, computed, inject } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatSelectModule } from '@angular/material/select';
import { MatSlideToggleModule } from '@angular/material/slide-toggle';
import { Store } from '@ngrx/store';
import { group, max, sum } from 'd3-array';
import type { CachedStretchRecord } from '@hone/core/api';
import { cacheFormat } from '@hone/core/media';
import { formatTimecode, timecodeFormatOf } from '@hone/core/time';
import { clipEnd, mergeRanges, type FrameRange } from '@hone/core/timeline';
import { bytes, count, pixels, shortTimeText } from '../formatting/quantities';
import { Levers } from '../playback/levers';
import { RenderCacheActions } from '../state/actions';
import { playbackFeature } from '../state/playback.feature';
import { selectPlan, selectStretches, selectTimeline } from '../state/selectors';
import { CachePoints } from './cache-points';
import { ReleasesFocus } from './releases-focus';
import { RenderCacheSpace } from './render-cache-space';
import { TimelineEditor } from './timeline-editor';
import { PositionGains, type LeverPosition } from './position-gains';

/** Frames that can be rendered in advance. */
interface RenderChoice {
  readonly name: string;
  readonly range: FrameRange;
}

/** Cached stretches that are shown and deleted together. */
interface CacheLine {
  readonly key: string;
  readonly name: string;
  readonly text: string;
  readonly ids: string[];
}

/** The render cache: whether it plays, what is in it, and what can be rendered in advance. */
@Component({
  selector: 'hone-render-cache-board',
  imports: [
    MatButtonModule,
    MatSelectModule,
    MatSlideToggleModule,
    PositionGains,
    ReleasesFocus,
    RenderCacheSpace,
  ],
  providers: [CachePoints],
  templateUrl: './render-cache-board.html',
  styleUrl: './lever-board.scss',
})
export class RenderCacheBoard {
  private readonly store = inject(Store);
  private readonly editor = inject(TimelineEditor);
  private readonly timeline = this.store.selectSignal(selectTimeline);
  private readonly plan = this.store.selectSignal(selectPlan);
  readonly stretches = this.store.selectSignal(selectStretches);
  private readonly frame = this.store.selectSignal(playbackFeature.selectFrame);
  private readonly inFrame = this.store.selectSignal(playbackFeature.selectInFrame);
  private readonly outFrame = this.store.selectSignal(playbackFeature.selectOutFrame);
  readonly levers = inject(Levers);
  readonly tuning = this.levers.tuning;

  readonly points = inject(CachePoints);

  private readonly used = computed(() => this.plan()?.preview.cached ?? []);
  readonly lengthText = computed(() => {
    const { graph } = this.plan()?.preview ?? {};
    if (!graph) return '';
    const framesOf = (uses: readonly FrameRange[]): number =>
      sum(mergeRanges(uses), ({ from, to }) => to - from);
    const whole = framesOf(this.used().filter(({ point }) => !point));
    const parts = framesOf(this.used()) - whole;
    return `${whole} of ${graph.length} frames${parts ? `, ${parts} more in part` : ''}`;
  });

  /** What can be rendered now. */
  readonly renders = computed((): readonly RenderChoice[] =>
    [
      { name: 'Render marked range', range: this.inToOut() },
      { name: 'Render selected clips', range: this.selection() },
      { name: 'Render at playhead', range: this.atPlayhead() },
    ].filter((each): each is RenderChoice => each.range !== null),
  );
  readonly hint = computed(() =>
    this.inToOut() || this.selection() ? null : 'Mark in and out, or select clips, to render a part.',
  );

  /** Identifiers of the stretches that are played. */
  readonly positions: readonly LeverPosition[] = [
    { name: 'without cache', change: { renderCache: false } },
    { name: 'with it', change: { renderCache: undefined } },
  ];
  readonly playing = computed(() => new Set(this.used().map(({ stretchId }) => stretchId)));
  readonly lines = computed((): readonly CacheLine[] => {
    const stretches = this.stretches();
    const here = group(this.used(), ({ point }) => this.points.nameOf(point));
    const lines = [...here].flatMap(([name, uses]) =>
      mergeRanges(uses).map((range) => {
        const ids = uses.filter(({ from, to }) => range.from <= from && to <= range.to);
        const own = stretches.filter(({ id }) => ids.some(({ stretchId }) => stretchId === id));
        return this.lineOf(this.rangeText(range), own, name);
      }),
    );
    const rest = stretches.filter(({ id }) => !this.playing().has(id));
    return rest.length
      ? [...lines, this.lineOf(`${count(rest.length, 'piece', 'pieces')} not used now`, rest)]
      : lines;
  });

  render(range: FrameRange): void {
    this.store.dispatch(
      RenderCacheActions.renderAsked({ ranges: [range], point: this.points.selected()?.point }),
    );
  }

  remove(ids: string[]): void {
    this.store.dispatch(RenderCacheActions.removalAsked({ ids }));
  }

  private lineOf(name: string, stretches: readonly CachedStretchRecord[], point?: string): CacheLine {
    const sizes = [...new Set(stretches.map(({ size }) => pixels(size)))].join(', ');
    const formats = [...new Set(stretches.map(({ format }) => cacheFormat(format).label))].join(', ');
    const usedAt = max(stretches, (each) => each.usedAt);
    const parts = [
      point,
      sizes,
      formats,
      bytes(sum(stretches, (each) => each.bytes)),
      usedAt && `used ${shortTimeText(usedAt)}`,
    ];
    const key = `${name} ${point ?? ''}`;
    return { key, name, text: parts.filter(Boolean).join(' · '), ids: stretches.map(({ id }) => id) };
  }

  rangeText({ from, to }: FrameRange): string {
    const timeline = this.timeline();
    if (!timeline) return '';
    const format = timecodeFormatOf(timeline.rate, timeline.dropFrame);
    return [from, to].map((frame) => formatTimecode(timeline.startFrame + frame, format)).join('–');
  }

  private inToOut(): FrameRange | null {
    const [from, out] = [this.inFrame(), this.outFrame()];
    return from === null || out === null ? null : { from, to: out + 1 };
  }

  private selection(): FrameRange | null {
    const ids = this.editor.ids();
    const clips = (this.timeline()?.tracks ?? [])
      .filter(({ kind }) => kind === 'picture')
      .flatMap((track) => track.clips.filter(({ id }) => ids.has(id)));
    if (clips.length === 0) return null;
    const from = Math.min(...clips.map(({ start }) => start));
    return { from, to: Math.max(...clips.map(clipEnd)) };
  }

  private atPlayhead(): FrameRange | null {
    const frame = this.frame();
    const stretches = this.plan()?.preview.graph.stretches ?? [];
    const here = stretches.find(({ from, to }) => from <= frame && frame < to);
    return here?.layers.length ? { from: here.from, to: here.to } : null;
  }
}
