import { Component, computed, inject, signal } from '@angular/core';
import { MatDialog } from '@angular/material/dialog';
import { MatMenuModule } from '@angular/material/menu';
import { mdiRedo, mdiUndo } from '@mdi/js';
import { Store } from '@ngrx/store';
import { firstValueFrom } from 'rxjs';
import { cmxLosses } from '@hone/core/interchange';
import type { ProjectRevision } from '@hone/core/api';
import { Api, sentenceOf } from '../api/api';
import { ImportDialog } from '../interchange/import-dialog';
import { TimelineFiles } from '../interchange/timeline-files';
import { Icon } from '../icons/icon';
import { Named } from '../icons/named';
import { Shortcuts } from '../shortcuts/shortcuts';
import { EditActions, ProjectActions } from '../state/actions';
import { editingFeature } from '../state/editing.feature';
import { projectFeature } from '../state/project.feature';
import { selectProject } from '../state/selectors';
import { count } from '../formatting/quantities';
import { TimelineEditor } from './timeline-editor';
import { TrimUnseenDialog, type UnseenList } from './trim-unseen-dialog';

/** The edits that the chosen clips, or the playhead, can be given; each has a key as well. */
@Component({
  selector: 'hone-edit-bar',
  imports: [Icon, MatMenuModule, Named],
  templateUrl: './edit-bar.html',
  styleUrl: './edit-bar.scss',
})
export class EditBar {
  private readonly store = inject(Store);
  private readonly dialog = inject(MatDialog);
  private readonly timelineFiles = inject(TimelineFiles);
  private readonly api = inject(Api);
  private readonly project = this.store.selectSignal(selectProject);
  /** Timelines that can be opened again, the newest first. */
  readonly revisions = signal<readonly ProjectRevision[]>([]);
  readonly editor = inject(TimelineEditor);
  readonly shortcuts = inject(Shortcuts);
  readonly icons = { undo: mdiUndo, redo: mdiRedo };
  readonly snapping = this.store.selectSignal(editingFeature.selectSnapping);
  readonly effectsOpen = this.store.selectSignal(editingFeature.selectEffectsOpen);
  private readonly past = this.store.selectSignal(projectFeature.selectPast);
  private readonly opened = this.store.selectSignal(projectFeature.selectOpen);
  private readonly future = this.store.selectSignal(projectFeature.selectFuture);
  readonly canEdit = computed(() => this.editor.timeline() !== null);
  readonly none = computed(() => this.editor.chosen().length === 0);
  /** Includes edits of earlier visits. */
  readonly canUndo = computed(() => this.past().length > 0 || (this.opened()?.ancestors.length ?? 0) > 0);
  readonly canRedo = computed(() => this.future().length > 0);
  /** Parts of the timeline that an edit list would lose. */
  readonly losses = computed(() => {
    const timeline = this.editor.timeline();
    return timeline ? cmxLosses(timeline) : [];
  });
  readonly all = computed(() => this.editor.timeline()?.tracks ?? []);
  readonly empty = computed(() => {
    const tracks = this.all();
    return tracks.length > 1 ? tracks.filter(({ clips }) => clips.length === 0) : [];
  });
  readonly text = computed(() => {
    const chosen = this.editor.chosen();
    if (!this.canEdit()) return 'A source alone';
    if (chosen.length === 0) return 'No clip selected';
    return `${count(chosen.length, 'clip', 'clips')}, ${count(this.editor.chosenLength(), 'frame', 'frames')}`;
  });
  /** Edits of the selected clips, with their keys. */
  readonly clipEntries = computed(() => {
    const { editor } = this;
    const pitch = editor.keepsPitch();
    const isAnyOff = editor.chosen().some((clip) => !clip.enabled);
    const entry = (name: string, key: string, act: () => void, disabled = this.none()) => ({
      ...{ name, key, disabled },
      do: act,
    });
    return [
      entry('Trim start', this.shortcuts.label('trimStart'), () => editor.trim('start')),
      entry('Trim end', this.shortcuts.label('trimEnd'), () => editor.trim('end')),
      entry(isAnyOff ? 'Enable' : 'Disable', this.shortcuts.label('disable'), () => editor.toggle()),
      ...(pitch
        ? [
            entry(pitch === 'kept' ? 'Let pitch follow speed' : 'Keep pitch', '', () =>
              editor.setKeepsPitch(pitch !== 'kept'),
            ),
          ]
        : []),
      entry('Copy', 'Ctrl C', () => editor.copy()),
      ...(editor.canPaste()
        ? [
            entry('Paste, overwrite', 'Ctrl V', () => editor.paste('overwrite'), false),
            entry('Paste, insert', 'Shift Ctrl V', () => editor.paste('insert'), false),
          ]
        : []),
      entry('Delete', 'Delete', () => editor.remove(false)),
      entry('Ripple delete', 'Shift Delete', () => editor.remove(true)),
      entry('Show source', 'double-click', () => editor.showSource()),
    ];
  });

  setSpeed(event: Event): void {
    const field = event.target as HTMLInputElement;
    this.editor.setSpeed(field.valueAsNumber);
    // A speed that was refused is not left standing there.
    field.value = String(this.editor.speedPercent() ?? '');
  }

  async open(event: Event): Promise<void> {
    const field = event.target as HTMLInputElement;
    const file = field.files?.[0];
    field.value = '';
    if (!file) return;
    try {
      const data = await this.timelineFiles.read(file);
      this.dialog.open(ImportDialog, { data, width: '720px', maxWidth: '95vw' });
    } catch (error) {
      const message = `"${file.name}" was not opened. ${sentenceOf(error)}`;
      this.store.dispatch(ProjectActions.failed({ message }));
    }
  }

  async trimUnseen(): Promise<void> {
    const timeline = this.editor.timeline();
    if (!timeline) return;
    const data: UnseenList = { timeline, parts: this.editor.unseen() };
    const dialog = this.dialog.open<TrimUnseenDialog, UnseenList, boolean>(TrimUnseenDialog, {
      ...{ data, width: '640px', maxWidth: '95vw' },
    });
    if (await firstValueFrom(dialog.afterClosed())) this.editor.trimUnseen();
  }

  async readRevisions(): Promise<void> {
    const project = this.project();
    if (project) this.revisions.set(await this.api.revisions(project.id).catch(() => []));
  }

  async openRevision(revision: number): Promise<void> {
    const project = this.project();
    if (!project) return;
    try {
      const timeline = await this.api.timelineAt(project.id, revision);
      this.editor.apply(() => timeline);
    } catch (error) {
      this.store.dispatch(ProjectActions.failed({ message: sentenceOf(error) }));
    }
  }

  revisionText({ savedAt, clips, frames }: ProjectRevision): string {
    const at = new Date(savedAt).toLocaleString('en-GB', { dateStyle: 'short', timeStyle: 'medium' });
    return `${at} · ${count(clips, 'clip', 'clips')}, ${count(frames, 'frame', 'frames')}`;
  }

  saveOtio(): void {
    this.timelineFiles.saveOtio();
  }

  saveCmx(): void {
    this.timelineFiles.saveCmx();
  }

  turnEffects(): void {
    this.store.dispatch(EditActions.effectsTurned());
  }

  turnSnapping(): void {
    this.store.dispatch(EditActions.snappingTurned());
  }
}
