import { computed, inject, Injectable } from '@angular/core';
import { Router } from '@angular/router';
import { Store } from '@ngrx/store';
import { factsIn, renderGraph, trimParts, unseenParts, type UnseenPart } from '@hone/core/render';
import { rational, type Rational } from '@hone/core/time';
import {
  addTrack,
  changeSpeed,
  keepPitch,
  changeTrack,
  clipEnd,
  copyClips,
  enableClips,
  moveClips,
  nearestCut,
  pasteClips,
  putMarker,
  putTransition,
  removeClips,
  removeTrack,
  removeTransition,
  settled,
  speedOf,
  splitAt,
  takeOffAt,
  trimClip,
  type Clip,
  type PlaceMode,
  type Timeline,
  type TrackKind,
  type Transition,
  type TransitionKind,
} from '@hone/core/timeline';
import { sentenceOf } from '../api/api';
import { Playback } from '../playback/playback';
import { EditActions, ProjectActions, SourcesActions } from '../state/actions';
import { editingFeature } from '../state/editing.feature';
import { projectFeature } from '../state/project.feature';
import { selectProject, selectSources, selectSubject } from '../state/selectors';

const newId = (): string => crypto.randomUUID();

/** The edits of the page Work: each changes the timeline in one step that can be undone. */
@Injectable()
export class TimelineEditor {
  private readonly store = inject(Store);
  private readonly playback = inject(Playback);
  private readonly router = inject(Router);
  private readonly project = this.store.selectSignal(selectProject);
  private readonly past = this.store.selectSignal(projectFeature.selectPast);
  private readonly subject = this.store.selectSignal(selectSubject);
  private readonly sources = this.store.selectSignal(selectSources);
  private readonly copied = this.store.selectSignal(editingFeature.selectCopied);
  private readonly chosenIds = this.store.selectSignal(editingFeature.selectChosenIds);
  /** The timeline that can be edited; a source that is played alone has none. */
  readonly timeline = computed(() => (this.subject() ? null : (this.project()?.timeline ?? null)));
  /** The chosen clips that are still there. */
  readonly chosen = computed((): readonly Clip[] => {
    const ids = new Set(this.chosenIds());
    if (ids.size === 0) return [];
    return (this.timeline()?.tracks ?? []).flatMap(({ clips }) => clips.filter(({ id }) => ids.has(id)));
  });
  readonly ids = computed((): ReadonlySet<string> => new Set(this.chosen().map(({ id }) => id)));
  readonly canPaste = computed(() => this.copied().length > 0);

  /** Length of a source, beyond which no clip of it reaches. */
  readonly lengthOf = (sourceId: string): Rational | undefined =>
    this.sources().find(({ id }) => id === sourceId)?.facts?.duration;

  choose(ids: Iterable<string>): void {
    this.store.dispatch(EditActions.clipsChosen({ ids: [...ids] }));
  }

  chooseAll(kind?: TrackKind): void {
    const tracks = this.timeline()?.tracks ?? [];
    this.choose(
      tracks
        .filter((track) => !kind || track.kind === kind)
        .flatMap(({ clips }) => clips.map(({ id }) => id)),
    );
  }

  /** Parts of clips that nobody sees. */
  unseen(): readonly UnseenPart[] {
    const timeline = this.timeline();
    const factsOf = factsIn(this.sources());
    return timeline ? unseenParts(timeline, renderGraph(timeline, factsOf), factsOf) : [];
  }

  trimUnseen(): void {
    this.apply((timeline) => trimParts(timeline, this.unseen(), newId));
  }

  /** Takes over an edited timeline, as one step. */
  apply(change: (timeline: Timeline) => Timeline): void {
    const timeline = this.timeline();
    if (!timeline) return;
    try {
      const changed = change(timeline);
      const edited = changed === timeline ? timeline : settled(changed);
      if (edited !== timeline) this.store.dispatch(ProjectActions.timelineEdited({ timeline: edited }));
    } catch (error) {
      this.store.dispatch(ProjectActions.failed({ message: sentenceOf(error) }));
    }
  }

  split(): void {
    this.apply((timeline) => splitAt(timeline, this.playback.here, this.ids(), newId));
  }

  /** Without a choice, the clip at the playhead goes. */
  remove(close: boolean): void {
    if (this.ids().size === 0) this.apply((timeline) => takeOffAt(timeline, this.playback.here));
    else this.apply((timeline) => removeClips(timeline, this.ids(), close));
  }

  toggle(): void {
    const enabled = this.chosen().some((clip) => !clip.enabled);
    this.apply((timeline) => enableClips(timeline, this.ids(), enabled));
  }

  /** Moves an end of each chosen clip to the playhead. */
  trim(end: 'start' | 'end'): void {
    const { here } = this.playback;
    const frame = end === 'start' ? here : here + 1;
    this.apply((timeline) =>
      this.chosen().reduce((line, { id }) => trimClip(line, id, end, frame, this.lengthOf), timeline),
    );
  }

  move(frames: number, tracks: number): void {
    this.apply((timeline) => moveClips(timeline, this.ids(), frames, tracks, newId));
  }

  /** @param percent 100 is as it was recorded; below zero it plays backwards */
  setSpeed(percent: number): void {
    if (!Number.isFinite(percent)) return;
    this.apply((timeline) => changeSpeed(timeline, this.ids(), rational(Math.round(percent * 100), 10_000)));
  }

  /** The speed of the chosen clips in per cent; null when they differ. */
  readonly speedPercent = computed(() => {
    const speeds = new Set(this.chosen().map((clip) => (100 * speedOf(clip).num) / speedOf(clip).den));
    const [only] = speeds;
    return speeds.size === 1 && only !== undefined ? Math.round(100 * only) / 100 : null;
  });

  /** Whether the chosen clips that are retimed keep their pitch, all of them; null where none is retimed. */
  readonly keepsPitch = computed((): 'kept' | 'follows speed' | null => {
    const retimed = this.chosen().filter((clip) => Math.abs(speedOf(clip).num) !== speedOf(clip).den);
    if (retimed.length === 0) return null;
    return retimed.every(({ keepsPitch }) => keepsPitch) ? 'kept' : 'follows speed';
  });

  setKeepsPitch(keepsPitch: boolean): void {
    this.apply((timeline) => keepPitch(timeline, this.ids(), keepsPitch));
  }

  /** Opens the facts of the source of the selected clip. */
  showSource(): void {
    const sourceId = this.chosen()[0]?.sourceId;
    if (!sourceId) return;
    this.store.dispatch(SourcesActions.sourceOpened({ sourceId }));
    void this.router.navigate(['/sources']);
  }

  copy(): void {
    const timeline = this.timeline();
    if (timeline && this.ids().size)
      this.store.dispatch(EditActions.clipsCopied({ copied: copyClips(timeline, this.ids()) }));
  }

  cut(): void {
    this.copy();
    if (this.ids().size) this.remove(false);
  }

  paste(mode: PlaceMode): void {
    if (this.canPaste())
      this.apply((timeline) => pasteClips(timeline, this.copied(), this.playback.here, mode, newId));
  }

  /** The cut that a transition would be put at: on the track of the chosen clip, else on the highest with a cut. */
  private readonly cutTrack = computed(() => {
    const all = this.timeline()?.tracks ?? [];
    const ids = this.ids();
    const own = all.find(({ clips }) => clips.some(({ id }) => ids.has(id)));
    return (
      own ??
      all
        .filter(({ kind }) => kind === 'picture')
        .filter(({ clips }) => clips.length > 1)
        .at(-1)
    );
  });

  /**
   * Puts a transition of a second at the cut that is nearest to the playhead.
   * @param dipColour what a dip goes through, as #rrggbb
   */
  putTransition(kind: TransitionKind, dipColour?: string): void {
    const track = this.cutTrack();
    const cut = track && nearestCut(track, this.playback.here);
    if (cut === undefined) return;
    this.apply((timeline) => {
      const frames = Math.max(2, Math.round(timeline.rate.num / timeline.rate.den));
      return putTransition(timeline, track!.id, cut, frames, kind, newId, dipColour);
    });
  }

  /** Takes away the transition that is nearest to the playhead. */
  removeTransition(): void {
    const { here } = this.playback;
    const away = ({ at }: Transition): number => Math.abs(at - here);
    const [nearest] = [...(this.cutTrack()?.transitions ?? [])].sort((a, b) => away(a) - away(b));
    if (nearest) this.apply((timeline) => removeTransition(timeline, nearest.id));
  }

  mark(): void {
    const frame = this.playback.here;
    const count = (this.timeline()?.markers?.length ?? 0) + 1;
    this.apply((timeline) => putMarker(timeline, { id: newId(), frame, name: `Marker ${count}`, note: '' }));
  }

  addTrack(kind: TrackKind): void {
    this.apply((timeline) => addTrack(timeline, kind, newId));
  }

  removeTrack(id: string): void {
    this.apply((timeline) => removeTrack(timeline, id));
  }

  toggleTrack(id: string): void {
    const track = this.timeline()?.tracks.find((each) => each.id === id);
    if (track) this.apply((timeline) => changeTrack(timeline, id, { enabled: !track.enabled }));
  }

  undo(): void {
    // The server keeps the edits of earlier visits and undoes them.
    const isEarlier = this.past().length === 0 && (this.project()?.ancestors.length ?? 0) > 0;
    this.store.dispatch(isEarlier ? ProjectActions.earlierAsked() : ProjectActions.editUndone());
  }

  redo(): void {
    this.store.dispatch(ProjectActions.editDoneAgain());
  }

  /** Length of the selected clips, from the first frame to the last. */
  readonly chosenLength = computed(() => {
    const clips = this.chosen();
    if (clips.length === 0) return 0;
    return Math.max(...clips.map(clipEnd)) - Math.min(...clips.map(({ start }) => start));
  });
}
