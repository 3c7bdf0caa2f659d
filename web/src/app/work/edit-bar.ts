import { Component, computed, inject } from '@angular/core';
import { MatMenuModule } from '@angular/material/menu';
import { Store } from '@ngrx/store';
import { EditActions } from '../state/actions';
import { editingFeature } from '../state/editing.feature';
import { projectFeature } from '../state/features';
import { count } from '../words/quantities';
import { TimelineEditor } from './timeline-editor';

/** The edits that the chosen clips, or the playhead, can be given; each has a key as well. */
@Component({
  selector: 'hone-edit-bar',
  imports: [MatMenuModule],
  templateUrl: './edit-bar.html',
  styleUrl: './edit-bar.scss',
})
export class EditBar {
  private readonly store = inject(Store);
  readonly editor = inject(TimelineEditor);
  readonly snapping = this.store.selectSignal(editingFeature.selectSnapping);
  private readonly past = this.store.selectSignal(projectFeature.selectPast);
  private readonly future = this.store.selectSignal(projectFeature.selectFuture);
  readonly canEdit = computed(() => this.editor.timeline() !== null);
  readonly none = computed(() => this.editor.chosen().length === 0);
  readonly canTakeBack = computed(() => this.past().length > 0);
  readonly canDoAgain = computed(() => this.future().length > 0);
  readonly all = computed(() => this.editor.timeline()?.tracks ?? []);
  readonly empty = computed(() => {
    const tracks = this.all();
    return tracks.length > 1 ? tracks.filter(({ clips }) => clips.length === 0) : [];
  });
  readonly text = computed(() => {
    const chosen = this.editor.chosen();
    if (!this.canEdit()) return 'A source alone';
    if (chosen.length === 0) return 'No clip chosen';
    return `${count(chosen.length, 'clip', 'clips')}, ${count(this.editor.chosenLength(), 'frame', 'frames')}`;
  });
  readonly toggleText = computed(() =>
    this.editor.chosen().some((clip) => !clip.enabled) ? 'Turn on' : 'Turn off',
  );

  setSpeed(event: Event): void {
    const field = event.target as HTMLInputElement;
    this.editor.setSpeed(field.valueAsNumber);
    // A speed that was refused is not left standing there.
    field.value = String(this.editor.speedPercent() ?? '');
  }

  turnSnapping(): void {
    this.store.dispatch(EditActions.snappingTurned());
  }
}
