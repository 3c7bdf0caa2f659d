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
import { append, placeables, placing } from '../state/placing';
import { selectProject, selectTimelineFrame } from '../state/selectors';

/** How much of a source goes on the timeline: all of it, unless something cuts it. */
type Cut = (source: Placeable) => Placeable;

const whole: Cut = (source) => source;

/** Where sources are put on a timeline, and how. */
export interface Place {
  readonly at: number;
  readonly mode: PlaceMode;
  /** Track for clips of its kind; those of the other kind go where there is room. */
  readonly trackId?: string | undefined;
  /** Identifiers of clips whose tracks come next. */
  readonly selected?: ReadonlySet<string> | undefined;
}

function placed(
  timeline: Timeline,
  parts: readonly Placeable[],
  { at, mode, trackId, selected = new Set() }: Place,
): { readonly timeline: Timeline; readonly target: PlaceTarget } {
  const target = placeTarget(timeline, parts, at, selected, trackId);
  return { target, timeline: placeSources(timeline, parts, at, mode, () => crypto.randomUUID(), target) };
}

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
    this.put(sources, { at: this.playhead(), mode, selected: new Set(this.selectedClips()) }, cut);
  }

  /** Where they were dropped. */
  drop(sources: readonly Source[], place: Place): void {
    this.put(sources, place, whole);
  }

  /** The timeline as it would be after a drop; as it is where the sources do not fit on it. */
  draft(timeline: Timeline, sources: readonly Source[], place: Place): Timeline {
    try {
      return placed(timeline, placeables(sources), place).timeline;
    } catch {
      return timeline;
    }
  }

  private put(sources: readonly Source[], place: Place, cut: Cut): void {
    this.edit(sources, (before, known) => {
      const { timeline, target } = placed(before, known.map(cut), place);
      if (place.mode === 'overwrite' && target.hit.length) this.tellOverwritten(before, target);
      return settled(timeline);
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
