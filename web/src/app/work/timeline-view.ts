import { Component, computed, ElementRef, inject, signal, viewChild } from '@angular/core';
import { Store } from '@ngrx/store';
import type { Source } from '@hone/core/api';
import { formatTimecode, timecodeOf, toNumber } from '@hone/core/time';
import { snapped, timelineLength, type Timeline, type Track } from '@hone/core/timeline';
import { frameOf, paletteOf, prepared, xOf, type Area, type Axis, type Palette } from '../drawing/axis';
import { redraw } from '../drawing/redraw';
import { drawMarkers, drawRuler, drawTrack, type ClipNote } from '../drawing/track-drawing';
import { ClipPreviews } from '../playback/clip-previews';
import { Playback } from '../playback/playback';
import { SourceDrag } from '../sources/source-drag';
import { SourcePlacement, type Place as DropPlace } from '../sources/source-placement';
import { editingFeature } from '../state/editing.feature';
import { playbackFeature } from '../state/playback.feature';
import { selectSources, selectTimeline } from '../state/selectors';
import { EditBar } from './edit-bar';
import { TimelineEditor } from './timeline-editor';
import {
  ClipDrag,
  clipsInBox,
  holdAt,
  SNAP_PIXELS,
  transitionAt,
  TransitionDrag,
  type Drag,
  type Hold,
  type Place,
} from './timeline-gesture';
import { followPlayhead } from './playhead-line';
import { TimelineLanes } from './timeline-lanes';
import { LABELS, TimelineRange } from './timeline-range';

/** Heights of tracks, CSS pixels: clips of pictures show a filmstrip. */
const TRACK_HEIGHTS = { picture: 30, sound: 22 } as const;

interface Row {
  readonly label: string;
  readonly area: Area;
  readonly track: Track | null;
}

/** Sources that are dragged over the timeline, and where they would be dropped. */
interface Drop {
  readonly timeline: Timeline;
  readonly sources: readonly Source[];
  readonly place: DropPlace;
  readonly text: string;
}

/** The tracks with their clips, drawn on canvas, and the lanes under them on the same axis. */
@Component({
  selector: 'hone-timeline-view',
  imports: [EditBar, TimelineLanes],
  templateUrl: './timeline-view.html',
  styleUrl: './timeline-view.scss',
})
export class TimelineView {
  private readonly store = inject(Store);
  readonly playback = inject(Playback);
  private readonly range = inject(TimelineRange);
  private readonly previews = inject(ClipPreviews);
  private readonly still = viewChild.required<ElementRef<HTMLCanvasElement>>('still');
  private readonly surface = viewChild.required<ElementRef<HTMLElement>>('surface');
  private readonly line = viewChild.required<ElementRef<HTMLElement>>('line');
  private readonly editor = inject(TimelineEditor);
  private readonly kept = this.store.selectSignal(selectTimeline);
  private readonly snapping = this.store.selectSignal(editingFeature.selectSnapping);
  /** The timeline after a release of the pointer. */
  private readonly draft = signal<Timeline | null>(null);
  private readonly box = signal<{ readonly from: Place; readonly to: Place } | null>(null);
  private readonly timeline = computed(() => this.draft() ?? this.kept());
  private drag: Drag | undefined;
  private readonly dragged = inject(SourceDrag);
  private readonly placement = inject(SourcePlacement);
  private readonly dropped = signal<Drop | null>(null);
  /** Where dragged sources would be dropped, in words. */
  readonly dropText = computed(() => this.dropped()?.text);
  private scrubbing = false;
  private readonly sources = this.store.selectSignal(selectSources);
  private readonly inFrame = this.store.selectSignal(playbackFeature.selectInFrame);
  private readonly outFrame = this.store.selectSignal(playbackFeature.selectOutFrame);
  readonly rows = computed(() => rowsFor(this.timeline()));
  readonly height = computed(() => (this.rows().at(-1)?.area.top ?? 0) + 26);
  readonly description = computed(() => {
    const timeline = this.timeline();
    const clips = timeline?.tracks.reduce((sum, track) => sum + track.clips.length, 0) ?? 0;
    return `Timeline with ${clips} clips. Arrow keys step by frames, up and down go to cuts.`;
  });

  constructor() {
    const place = followPlayhead(this.line, (width) => this.axis(width));
    redraw(this.still, 'timeline', () => {
      this.drawStill();
      place();
    });
  }

  onPress(event: PointerEvent): void {
    if (event.button !== 0) return;
    const surface = this.surface().nativeElement;
    surface.setPointerCapture(event.pointerId);
    const place = this.placeOf(event);
    const timeline = this.editor.timeline();
    const transition = timeline && transitionAt(place, this.framesPerPixel());
    const hold = timeline ? holdAt(place, this.framesPerPixel()) : undefined;
    if (transition) this.drag = new TransitionDrag(timeline, transition, place);
    else if (hold) this.take(hold, place, event);
    else if (place.track && this.editor.timeline()) {
      if (!event.shiftKey) this.editor.choose([]);
      this.box.set({ from: place, to: place });
    } else {
      this.scrubbing = true;
      this.playback.scrubTo(Math.floor(place.frame), event.timeStamp);
    }
  }

  onMove(event: PointerEvent): void {
    const place = this.placeOf(event);
    const box = this.box();
    if (this.scrubbing) this.playback.scrubTo(Math.floor(place.frame), event.timeStamp);
    else if (this.drag) {
      const draft = this.drag.at(place);
      this.draft.set(this.drag.isDrag ? draft : null);
    } else if (box) this.box.set({ ...box, to: place });
    else this.showHold(place);
  }

  onRelease(event: PointerEvent): void {
    const { drag } = this;
    const box = this.box();
    if (this.scrubbing) this.playback.endScrub();
    else if (drag?.isDrag) this.editor.apply(() => drag.at(this.placeOf(event)));
    else if (box) this.chooseIn(box.from, box.to);
    this.letGo();
  }

  /** Shows the timeline as it would be if the sources were dropped here. */
  onDragOver(event: DragEvent): void {
    const drop = this.dropAt(event);
    if (!drop) return;
    event.preventDefault();
    event.dataTransfer!.dropEffect = 'copy';
    // Tracks may have one name.
    if (isSamePlace(this.dropped()?.place, drop.place)) return;
    this.dropped.set(drop);
    this.draft.set(this.placement.draft(drop.timeline, drop.sources, drop.place));
  }

  onDrop(event: DragEvent): void {
    const drop = this.dropAt(event);
    this.letGo();
    if (!drop) return;
    event.preventDefault();
    this.placement.drop(drop.sources, drop.place);
  }

  private dropAt(event: DragEvent): Drop | null {
    const timeline = this.editor.timeline();
    const sources = this.dragged.sourcesOf(event);
    if (!timeline || sources.length === 0) return null;
    const { frame, track } = this.placeOf(event);
    const within = Math.min(timelineLength(timeline), Math.max(0, Math.round(frame)));
    const at = snapped(timeline, within, this.snapFrames(), new Set(), [this.playback.here]);
    const mode = event.shiftKey ? 'insert' : 'overwrite';
    const timecode = formatTimecode(timeline.startFrame + at, timecodeOf(timeline));
    const where = track ? `${track.name}, ${timecode}` : timecode;
    const text = mode === 'insert' ? `${where} · insert` : `${where} · overwrite; with Shift insert`;
    return { timeline, sources, place: { at, mode, trackId: track?.id }, text };
  }

  /** Opens the facts of the source that a clip is of. */
  onDoubleClick(event: MouseEvent): void {
    const hold = this.editor.timeline() && holdAt(this.placeOf(event), this.framesPerPixel());
    if (!hold) return;
    this.editor.choose([hold.clip.id]);
    this.editor.showSource();
  }

  /** Whatever was begun is left; nothing has changed. */
  letGo(): void {
    if (this.scrubbing) this.playback.endScrub();
    this.scrubbing = false;
    this.drag = undefined;
    this.draft.set(null);
    this.dropped.set(null);
    this.box.set(null);
  }

  private snapFrames(): number {
    return this.snapping() ? Math.ceil(SNAP_PIXELS * this.framesPerPixel()) : 0;
  }

  private take(hold: Hold, place: Place, event: PointerEvent): void {
    const { id } = hold.clip;
    const before = this.editor.ids();
    if (event.shiftKey || event.ctrlKey || event.metaKey) {
      const ids = new Set(before);
      if (!ids.delete(id)) ids.add(id);
      this.editor.choose(ids);
      return;
    }
    if (!before.has(id)) this.editor.choose([id]);
    this.drag = new ClipDrag(hold, place, {
      timeline: this.editor.timeline()!,
      ids: hold.part === 'body' ? this.editor.ids() : new Set([id]),
      lengthOf: this.editor.lengthOf,
      newId: () => crypto.randomUUID(),
      snapFrames: this.snapFrames(),
      points: [this.playback.here],
    });
  }

  private chooseIn(from: Place, to: Place): void {
    if (Math.abs(from.x - to.x) < 3 && Math.abs(from.y - to.y) < 3) return;
    const [top, bottom] = [Math.min(from.y, to.y), Math.max(from.y, to.y)];
    const tracks = this.rows().flatMap(({ track, area }) =>
      track && area.top < bottom && area.top + area.height > top ? [track] : [],
    );
    this.editor.choose([...this.editor.ids(), ...clipsInBox(tracks, from.frame, to.frame)]);
  }

  private showHold(place: Place): void {
    const isEdge = this.editor.timeline() && transitionAt(place, this.framesPerPixel());
    const hold = this.editor.timeline() && holdAt(place, this.framesPerPixel());
    const cursor = isEdge ? 'ew-resize' : !hold ? 'default' : hold.part === 'body' ? 'grab' : 'ew-resize';
    this.surface().nativeElement.style.cursor = cursor;
  }

  private placeOf({ offsetX: x, offsetY: y }: MouseEvent): Place {
    const axis = this.axis(this.surface().nativeElement.clientWidth);
    const row = this.rows().find(({ area }) => area.top <= y && y < area.top + area.height + 2);
    return { frame: frameOf(axis, x), track: (x >= LABELS && row?.track) || null, x, y };
  }

  private framesPerPixel(): number {
    const axis = this.axis(this.surface().nativeElement.clientWidth);
    return (axis.to - axis.from) / Math.max(1, axis.right - axis.left);
  }

  onWheel(event: WheelEvent): void {
    this.range.wheel(event, this.axis(this.surface().nativeElement.clientWidth));
  }

  private axis(width: number): Axis {
    return this.range.axis(width);
  }

  private drawStill(): void {
    const canvas = this.still().nativeElement;
    const timeline = this.timeline();
    const { context, width } = prepared(canvas);
    if (!timeline) return;
    const palette = paletteOf(canvas);
    const axis = this.axis(width);
    const rows = [...this.rows()];
    const ruler = rows[0]!;
    context.fillStyle = palette.quiet;
    for (const { label, area } of rows)
      context.fillText(label, 8, area.top + area.height / 2 + 0.5, LABELS - 14);
    const take = (): Area => rows.shift()!.area;
    const format = timecodeOf(timeline);
    const labelOf = (frame: number): string => formatTimecode(timeline.startFrame + frame, format);
    drawRuler(context, axis, take(), toNumber(timeline.rate), labelOf, palette);
    context.fillStyle = palette.accent;
    this.drawMarks(context, axis);
    const noteOf = this.noteOf();
    const chosen = this.editor.ids();
    const all = this.previews.all();
    const previews = { of: (id: string) => all.get(id), rate: toNumber(timeline.rate) };
    for (const track of displayed(timeline))
      drawTrack(context, axis, take(), track, noteOf, palette, chosen, previews);
    drawMarkers(context, axis, ruler.area, timeline.markers ?? [], palette);
    this.drawBox(context, palette);
  }

  private drawBox(context: CanvasRenderingContext2D, palette: Palette): void {
    const box = this.box();
    if (!box) return;
    const { from, to } = box;
    context.strokeStyle = palette.ink;
    context.setLineDash([4, 3]);
    context.strokeRect(
      Math.min(from.x, to.x) + 0.5,
      Math.min(from.y, to.y) + 0.5,
      Math.abs(to.x - from.x),
      Math.abs(to.y - from.y),
    );
    context.setLineDash([]);
  }

  private drawMarks(context: CanvasRenderingContext2D, axis: Axis): void {
    for (const [mark, sign] of [
      [this.inFrame(), 1],
      [this.outFrame(), -1],
    ] as const) {
      if (mark === null) continue;
      const x = xOf(axis, sign === 1 ? mark : mark + 1);
      context.fillRect(x - 1, 0, 2, 18);
      context.fillRect(sign === 1 ? x : x - 6, 0, 6, 2);
    }
  }

  private noteOf(): ClipNote {
    const plan = this.playback.givenPlan();
    const sources = new Map(this.sources().map((source) => [source.id, source]));
    return ({ sourceId, start, length }, track) => {
      const source = sources.get(sourceId);
      if (!source || source.state === 'expected') return 'waiting';
      if (source.state !== 'ready') return source.state;
      if (track.kind === 'sound') return '';
      const choice = plan?.pictures[sourceId]?.choice ?? '';
      const isCached = plan?.preview.cached.some(({ from, to }) => from < start + length && start < to);
      return [choice, isCached ? 'render cache' : ''].filter(Boolean).join(' · ');
    };
  }
}

// Picture tracks from the topmost down, then sound.
function displayed(timeline: Timeline): Timeline['tracks'] {
  const pictures = timeline.tracks.filter(({ kind }) => kind === 'picture').reverse();
  return [...pictures, ...timeline.tracks.filter(({ kind }) => kind === 'sound')];
}

function rowsFor(timeline: Timeline | null): readonly Row[] {
  const rows: Row[] = [];
  let top = 2;
  const add = (label: string, height: number, track: Track | null = null): void => {
    rows.push({ label, area: { top, height }, track });
    top += height + 2;
  };
  add('', 18);
  for (const track of timeline ? displayed(timeline) : [])
    add(track.enabled ? track.name : `${track.name} · off`, TRACK_HEIGHTS[track.kind], track);
  return rows;
}

const isSamePlace = (a: DropPlace | undefined, b: DropPlace): boolean =>
  a?.at === b.at && a.mode === b.mode && a.trackId === b.trackId;
