import { Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInputModule } from '@angular/material/input';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import type { NewProject } from '@hone/core/api';
import { ProjectActions } from '../state/actions';
import { ShapeFields, USUAL_RATE, USUAL_SIZE } from './shape-fields';

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
    ShapeFields,
  ],
  template: `
    <h2 mat-dialog-title>New project</h2>
    <mat-dialog-content>
      <div class="fields">
        <mat-form-field subscriptSizing="dynamic" appearance="outline">
          <mat-label>Name</mat-label>
          <input matInput name="name" [(ngModel)]="name" maxlength="200" cdkFocusInitial required />
        </mat-form-field>
        <mat-form-field subscriptSizing="dynamic" appearance="outline">
          <mat-label>Frame size and rate</mat-label>
          <mat-select name="shape" [(ngModel)]="shape">
            <mat-option value="first">As the first clip on the timeline</mat-option>
            <mat-option value="own">Set here</mat-option>
          </mat-select>
          <mat-hint>The rate stays the same once a clip is on the timeline.</mat-hint>
        </mat-form-field>
        @if (shape() === 'own') {
          <hone-shape-fields [(size)]="size" [(rate)]="rate" />
        }
      </div>
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <button mat-button mat-dialog-close type="button">Cancel</button>
      <button mat-flat-button type="button" [disabled]="!name().trim()" (click)="create()">
        Create project
      </button>
    </mat-dialog-actions>
  `,
  styleUrl: './project-dialogs.scss',
})
export class NewProjectDialog {
  private readonly store = inject(Store);
  private readonly self = inject(MatDialogRef);
  readonly name = signal('');
  readonly shape = signal<'first' | 'own'>('first');
  readonly size = signal(USUAL_SIZE);
  readonly rate = signal(USUAL_RATE);

  create(): void {
    const project: NewProject = {
      name: this.name().trim(),
      ...(this.shape() === 'own' ? { size: this.size(), rate: this.rate() } : {}),
    };
    this.store.dispatch(ProjectActions.asked({ project }));
    this.self.close();
  }
}
