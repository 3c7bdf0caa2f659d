import { Component, computed, inject } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialog, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { Store } from '@ngrx/store';
import { bytes, count } from '../formatting/quantities';
import { ImportActions } from '../state/actions';
import { AddMediaDialog } from './add-media-dialog';

/** Dropped files that were found in no folder, and those that cannot be used. */
export interface UnlinkedFiles {
  readonly missing: readonly File[];
  readonly problems: readonly string[];
}

/** Says which dropped files are not linked and why, and asks before anything is copied. */
@Component({
  selector: 'hone-unlinked-files-dialog',
  imports: [MatButtonModule, MatDialogModule],
  template: `
    <h2 mat-dialog-title>{{ title() }}</h2>
    <mat-dialog-content>
      @if (missing.length) {
        <p>
          A browser does not tell where a dropped file lies. Hone looked in the media folders, at home and on
          mounted drives. Copy the {{ missing.length === 1 ? 'file' : 'files' }} into Hone’s own folder, or
          choose the folder; then nothing is copied.
        </p>
        <ul data-testid="not-found">
          @for (file of missing; track file) {
            <li>
              {{ file.name }} <span class="quiet">{{ bytes(file.size) }}</span>
            </li>
          }
        </ul>
      }
      @if (problems.length) {
        <p>Cannot be used:</p>
        <ul data-testid="not-usable">
          @for (problem of problems; track $index) {
            <li>{{ problem }}</li>
          }
        </ul>
      }
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <button mat-button mat-dialog-close type="button">{{ missing.length ? 'Leave out' : 'Close' }}</button>
      @if (missing.length) {
        <button mat-stroked-button type="button" (click)="chooseFolder()">Choose their folder …</button>
        <button mat-flat-button type="button" data-testid="copy-files" (click)="copy()">
          {{ copyText() }}
        </button>
      }
    </mat-dialog-actions>
  `,
  styles: `
    p,
    ul {
      margin: 0 0 10px;
    }
    ul {
      max-height: 220px;
      overflow: auto;
      padding-left: 20px;
    }
  `,
})
export class UnlinkedFilesDialog {
  private readonly store = inject(Store);
  private readonly dialog = inject(MatDialog);
  private readonly self = inject(MatDialogRef);
  readonly missing = inject<UnlinkedFiles>(MAT_DIALOG_DATA).missing;
  readonly problems = inject<UnlinkedFiles>(MAT_DIALOG_DATA).problems;
  readonly bytes = bytes;
  readonly title = computed(() =>
    this.missing.length
      ? `${count(this.missing.length, 'file is', 'files are')} in no folder that Hone knows`
      : `${count(this.problems.length, 'file', 'files')} cannot be used`,
  );
  readonly copyText = computed(() => {
    const size = this.missing.reduce((sum, file) => sum + file.size, 0);
    return `Copy ${count(this.missing.length, 'file', 'files')} · ${bytes(size)}`;
  });

  copy(): void {
    this.store.dispatch(ImportActions.uploadAsked({ files: [...this.missing] }));
    this.self.close();
  }

  chooseFolder(): void {
    this.self.close();
    this.dialog.open(AddMediaDialog, { width: '680px' });
  }
}
