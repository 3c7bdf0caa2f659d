import { inject, Injectable } from '@angular/core';
import { Store } from '@ngrx/store';
import type { Source } from '@hone/core/api';
import {
  placeSources,
  placeTarget,
  settled,
  type Placeable,
  type PlaceMode,
  type PlaceTarget,
  type Timeline,
} from '@hone/core/timeline';
import { sentenceOf } from '../api/api';
import { ProjectActions } from '../state/actions';
import { editingFeature } from '../state/editing.feature';
import { append, placing } from '../state/placing';
import { selectProject, selectTimelineFrame } from '../state/selectors';

/** How much of a source goes on the timeline: all of it, unless something cuts it. */
type Cut = (source: Placeable) => Placeable;

const whole: Cut = (source) => source;

/** Puts sources on the timeline of the open project, each time as one edit. */
@Injectable({ providedIn: 'root' })
export class SourcePlacement {
  private readonly store = inject(Store);
  private readonly project = this.store.selectSignal(selectProject);
  private readonly playhead = this.store.selectSignal(selectTimelineFrame);
  private readonly selectedClips = this.store.selectSignal(editingFeature.selectChosenIds);

  /** Behind everything that is on the timeline. */
  append(sources: readonly Source[], cut = whole): void {
    this.edit(sources, (timeline, known) => append(timeline, known.map(cut)));
  }

  /** At the playhead of the timeline. */
  place(sources: readonly Source[], mode: PlaceMode, cut = whole): void {
    this.edit(sources, (timeline, known) => {
      const parts = known.map(cut);
      const at = this.playhead();
      const target = placeTarget(timeline, parts, at, new Set(this.selectedClips()));
      if (mode === 'overwrite' && target.hit.length) this.tellOverwritten(timeline, target);
      return settled(placeSources(timeline, parts, at, mode, () => crypto.randomUUID(), target));
    });
  }

  /** Where sources dragged over a frame go: on its track, and on the track that is free there for the other kind. */
  dropped(
    timeline: Timeline,
    parts: readonly Placeable[],
    at: number,
    mode: PlaceMode,
    trackId?: string,
  ): Timeline {
    const target = placeTarget(timeline, parts, at, new Set(), trackId);
    return placeSources(timeline, parts, at, mode, () => crypto.randomUUID(), target);
  }

  drop(sources: readonly Source[], at: number, mode: PlaceMode, trackId?: string): void {
    this.edit(sources, (timeline, parts) => {
      const target = placeTarget(timeline, parts, at, new Set(), trackId);
      if (mode === 'overwrite' && target.hit.length) this.tellOverwritten(timeline, target);
      return settled(this.dropped(timeline, parts, at, mode, trackId));
    });
  }

  private tellOverwritten({ tracks }: Timeline, { picture, sound, hit }: PlaceTarget): void {
    const names = [...new Set(hit.map(({ name }) => `"${name}"`))];
    const listed =
      names.length > 3 ? `${names.slice(0, 3).join(', ')} and ${names.length - 3} more` : names.join(', ');
    const on = tracks.filter(({ id }) => id === picture || id === sound).map(({ name }) => name);
    const message = `Overwrote parts of ${listed} on ${on.join(' and ')}. Undo on the page Work brings them back.`;
    this.store.dispatch(ProjectActions.told({ message }));
  }

  private edit(
    sources: readonly Source[],
    change: (timeline: Timeline, known: readonly Placeable[]) => Timeline,
  ): void {
    const project = this.project();
    if (!project) return;
    try {
      for (const action of placing(project, sources, change)) this.store.dispatch(action);
    } catch (error) {
      this.store.dispatch(ProjectActions.failed({ message: sentenceOf(error) }));
    }
  }
}
