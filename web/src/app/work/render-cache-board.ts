import { Component, computed, inject, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { MatSelectModule } from '@angular/material/select';
import { MatSlideToggleModule } from '@angular/material/slide-toggle';
import { Store } from '@ngrx/store';
import { max, sum } from 'd3-array';
import type { CachedStretchRecord, RenderCacheSettings } from '@hone/core/api';
import { formatTimecode, timecodeFormatOf } from '@hone/core/time';
import { clipEnd, mergeRanges, type FrameRange } from '@hone/core/timeline';
import { Api, sentenceOf } from '../api/api';
import { bytes, count, pixels, shortTimeText } from '../formatting/quantities';
import { Levers } from '../playback/levers';
import { ProjectActions, RenderCacheActions } from '../state/actions';
import { playbackFeature } from '../state/playback.feature';
import { selectPlan, selectStretches, selectTimeline } from '../state/selectors';
import { CachePoints } from './cache-points';
import { TimelineEditor } from './timeline-editor';

/** Most that one request deletes. */
const MOST_REMOVED = 1000;
/** Size limits that are offered, bytes. */
const QUOTAS: readonly number[] = [2e9, 10e9, 20e9, 100e9];

/** Frames that can be rendered in advance. */
interface RenderChoice {
  readonly name: string;
  readonly range: FrameRange;
}

/** Cached stretches that are shown and deleted together. */
interface CacheLine {
  readonly name: string;
  readonly text: string;
  readonly ids: string[];
}

/** The render cache: whether it plays, what is in it, and what can be rendered in advance. */
@Component({
  selector: 'hone-render-cache-board',
  imports: [MatButtonModule, MatButtonToggleModule, MatSelectModule, MatSlideToggleModule],
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
  private readonly api = inject(Api);
  /** Size limit and folder of the cache; null until they are read. */
  readonly settings = signal<RenderCacheSettings | null>(null);
  readonly sizeText = bytes;
  readonly usedBytes = computed(() => sum(this.stretches(), (each) => each.bytes));
  readonly usageText = computed(() => {
    const settings = this.settings();
    return settings
      ? `${bytes(this.usedBytes())} used · ${bytes(settings.freeBytes)} free on its drive`
      : 'not read yet';
  });
  /** Those offered, and the one that is set. */
  readonly quotas = computed(() => {
    const set = this.settings()?.quotaBytes;
    return [...new Set([...QUOTAS, ...(set === undefined ? [] : [set])])].sort((a, b) => a - b);
  });

  constructor() {
    void this.keepSettings(this.api.renderCacheSettings());
  }

  private readonly used = computed(() => this.plan()?.preview.cached ?? []);
  readonly lengthText = computed(() => {
    const { graph } = this.plan()?.preview ?? {};
    if (!graph) return '';
    const framesOf = (uses: readonly FrameRange[]): number =>
      sum(mergeRanges(uses), ({ from, to }) => to - from);
    const whole = framesOf(this.used().filter(({ isWhole }) => isWhole));
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

  readonly lines = computed((): readonly CacheLine[] => {
    const used = new Map(this.used().map((use) => [use.stretchId, use]));
    const stretches = this.stretches();
    const here = mergeRanges(this.used()).map((range) => {
      const ids = this.used().filter(({ from, to }) => range.from <= from && to <= range.to);
      const own = stretches.filter(({ id }) => ids.some(({ stretchId }) => stretchId === id));
      return this.lineOf(this.rangeText(range), own);
    });
    const rest = stretches.filter(({ id }) => !used.has(id));
    return rest.length
      ? [...here, this.lineOf(`${count(rest.length, 'piece', 'pieces')} not used now`, rest)]
      : here;
  });

  render(range: FrameRange): void {
    this.store.dispatch(
      RenderCacheActions.renderAsked({ ranges: [range], point: this.points.selected()?.point }),
    );
  }

  setQuota(quotaBytes: number): void {
    void this.keepSettings(this.api.setRenderCacheQuota(quotaBytes));
  }

  removeAll(): void {
    const ids = this.stretches().map(({ id }) => id);
    for (let at = 0; at < ids.length; at += MOST_REMOVED) this.remove(ids.slice(at, at + MOST_REMOVED));
  }

  private async keepSettings(reply: Promise<RenderCacheSettings>): Promise<void> {
    try {
      this.settings.set(await reply);
    } catch (error) {
      this.store.dispatch(ProjectActions.failed({ message: sentenceOf(error) }));
    }
  }

  remove(ids: string[]): void {
    this.store.dispatch(RenderCacheActions.removalAsked({ ids }));
  }

  private lineOf(name: string, stretches: readonly CachedStretchRecord[]): CacheLine {
    const sizes = [...new Set(stretches.map(({ size }) => pixels(size)))].join(', ');
    const usedAt = max(stretches, (each) => each.usedAt);
    const parts = [
      sizes,
      bytes(sum(stretches, (each) => each.bytes)),
      usedAt && `used ${shortTimeText(usedAt)}`,
    ];
    return { name, text: parts.filter(Boolean).join(' · '), ids: stretches.map(({ id }) => id) };
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
