import { Component, inject, signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { MatDialog } from '@angular/material/dialog';
import { Actions, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import { sentenceOf } from '../api/api';
import { ImportActions, ProjectActions } from '../state/actions';
import { selectProject } from '../state/selectors';
import { droppedOf } from './dropped-files';
import { UnlinkedFilesDialog } from './unlinked-files-dialog';

/** Takes files and folders that are dropped anywhere on the page, and asks about those that are found nowhere. */
@Component({
  selector: 'hone-drop-target',
  template: `
    @if (isOver()) {
      <p data-testid="drop-target">
        {{
          project()
            ? 'Drop to add the footage to ' + project()!.name
            : 'Drop to begin a project with this footage'
        }}
      </p>
    }
  `,
  styles: `
    :host {
      display: contents;
    }
    p {
      position: fixed;
      inset: 8px;
      z-index: 900;
      display: grid;
      place-items: center;
      font-size: 19px;
      font-weight: 600;
      color: var(--ink);
      background: color-mix(in srgb, var(--mat-sys-surface) 88%, transparent);
      border: 2px dashed var(--mat-sys-outline);
      border-radius: 8px;
      pointer-events: none;
    }
  `,
  host: {
    '(document:dragenter)': 'over($event)',
    '(document:dragover)': 'over($event)',
    '(document:dragleave)': 'leave($event)',
    '(document:drop)': 'drop($event)',
  },
})
export class DropTarget {
  private readonly store = inject(Store);
  private readonly dialog = inject(MatDialog);
  readonly project = this.store.selectSignal(selectProject);
  readonly isOver = signal(false);

  constructor() {
    inject(Actions)
      .pipe(ofType(ImportActions.filesNotLinked), takeUntilDestroyed())
      .subscribe(({ missing, problems }) => {
        this.dialog.open(UnlinkedFilesDialog, { width: '560px', data: { missing, problems } });
      });
  }

  over(event: DragEvent): void {
    if (!hasFiles(event)) return;
    event.preventDefault();
    if (!this.isOver()) this.isOver.set(true);
  }

  // The pointer leaves the page only when it enters nothing else of it.
  leave(event: DragEvent): void {
    if (event.relatedTarget === null) this.isOver.set(false);
  }

  drop(event: DragEvent): void {
    if (!event.dataTransfer || !hasFiles(event)) return;
    event.preventDefault();
    this.isOver.set(false);
    void this.take(event.dataTransfer);
  }

  private async take(transfer: DataTransfer): Promise<void> {
    try {
      const { files, folder } = await droppedOf(transfer);
      if (files.length) this.store.dispatch(ImportActions.filesDropped({ files, folder }));
      else this.store.dispatch(ProjectActions.failed({ message: 'The folder holds no files.' }));
    } catch (error) {
      const message = `What was dropped could not be read: ${sentenceOf(error)}`;
      this.store.dispatch(ProjectActions.failed({ message }));
    }
  }
}

const hasFiles = ({ dataTransfer }: DragEvent): boolean => dataTransfer?.types.includes('Files') ?? false;
