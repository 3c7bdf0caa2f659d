import { Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInputModule } from '@angular/material/input';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import type { NewProject } from '@hone/core/api';
import { parseRational } from '@hone/core/time';
import { ProjectActions } from '../state/actions';

/** Asks for the name, frame size and rate of a new project. */
@Component({
  selector: 'hone-new-project-dialog',
  imports: [
    FormsModule,
    MatButtonModule,
    MatDialogModule,
    MatFormFieldModule,
    MatInputModule,
    MatSelectModule,
  ],
  template: `
    <h2 mat-dialog-title>New project</h2>
    <mat-dialog-content class="fields">
      <mat-form-field>
        <mat-label>Name</mat-label>
        <input matInput name="name" [(ngModel)]="name" maxlength="200" cdkFocusInitial required />
      </mat-form-field>
      <mat-form-field>
        <mat-label>Frame size and rate</mat-label>
        <mat-select name="shape" [(ngModel)]="shape">
          <mat-option value="first">As the first clip</mat-option>
          <mat-option value="own">Chosen here</mat-option>
        </mat-select>
        <mat-hint>They stay the same once a clip is on the timeline.</mat-hint>
      </mat-form-field>
      @if (shape() === 'own') {
        <mat-form-field>
          <mat-label>Frame size</mat-label>
          <mat-select name="size" [(ngModel)]="size">
            @for (each of sizes; track each) {
              <mat-option [value]="each">{{ each[0] }} × {{ each[1] }}</mat-option>
            }
          </mat-select>
        </mat-form-field>
        <mat-form-field>
          <mat-label>Frames a second</mat-label>
          <mat-select name="rate" [(ngModel)]="rate">
            @for (each of rates; track each) {
              <mat-option [value]="each">{{ each }}</mat-option>
            }
          </mat-select>
        </mat-form-field>
      }
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <button mat-button mat-dialog-close type="button">Cancel</button>
      <button mat-flat-button type="button" [disabled]="!name().trim()" (click)="create()">Create</button>
    </mat-dialog-actions>
  `,
  styles: `
    .fields {
      display: grid;
      gap: 14px;
      padding-top: 8px;
    }
  `,
})
export class NewProjectDialog {
  private readonly store = inject(Store);
  private readonly self = inject(MatDialogRef);
  readonly sizes = [
    [3840, 2160],
    [2720, 1530],
    [2560, 1440],
    [1920, 1080],
    [1280, 720],
    [1080, 1920],
  ] as const;
  readonly rates = ['24000/1001', '24', '25', '30000/1001', '30', '50', '60000/1001', '60'];
  readonly name = signal('');
  readonly shape = signal<'first' | 'own'>('first');
  readonly size = signal<readonly [number, number]>(this.sizes[3]);
  readonly rate = signal('24');

  create(): void {
    const [width, height] = this.size();
    const own = this.shape() === 'own';
    const project: NewProject = {
      name: this.name().trim(),
      ...(own ? { size: { width, height }, rate: parseRational(this.rate())! } : {}),
    };
    this.store.dispatch(ProjectActions.asked({ project }));
    this.self.close();
  }
}
