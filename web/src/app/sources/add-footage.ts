import { Component, inject } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { Store } from '@ngrx/store';
import { ImportActions } from '../state/actions';
import { AddMediaDialog } from './add-media-dialog';

/** The ways to footage of one's own: dropping it, choosing a folder of this machine, or picking files. */
@Component({
  selector: 'hone-add-footage',
  imports: [MatButtonModule],
  template: `
    <p class="quiet">Drop files or a folder anywhere on this page. Files stay where they are.</p>
    <div>
      <button mat-flat-button type="button" data-testid="choose-folder" (click)="chooseFolder()">
        Choose a folder …
      </button>
      <button mat-stroked-button type="button" data-testid="pick-files" (click)="picker.click()">
        Pick files …
      </button>
      <input #picker type="file" multiple hidden data-testid="picked" (change)="pick(picker)" />
    </div>
  `,
  styles: `
    :host {
      display: grid;
      gap: 12px;
    }
    div {
      display: flex;
      flex-wrap: wrap;
      gap: 8px;
    }
  `,
})
export class AddFootage {
  private readonly store = inject(Store);
  private readonly dialog = inject(MatDialog);

  chooseFolder(): void {
    this.dialog.open(AddMediaDialog, { width: '680px' });
  }

  pick(picker: HTMLInputElement): void {
    const files = [...(picker.files ?? [])];
    picker.value = '';
    if (files.length) this.store.dispatch(ImportActions.filesDropped({ files, folder: null }));
  }
}
