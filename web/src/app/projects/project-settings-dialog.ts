import { Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInputModule } from '@angular/material/input';
import { Store } from '@ngrx/store';
import { timelineLength, type Timeline } from '@hone/core/timeline';
import { ProjectActions } from '../state/actions';
import { selectCopies, selectExports, selectProject } from '../state/selectors';
import { bytes, count } from '../formatting/quantities';
import { ShapeFields, USUAL_RATE, USUAL_SIZE } from './shape-fields';

/** Changes the name, the frame size and, before the first clip, the rate of the open project; or deletes it. */
@Component({
  selector: 'hone-project-settings-dialog',
  imports: [FormsModule, MatButtonModule, MatDialogModule, MatFormFieldModule, MatInputModule, ShapeFields],
  template: `
    <h2 mat-dialog-title>Project settings</h2>
    <mat-dialog-content>
      <div class="fields">
        <mat-form-field subscriptSizing="dynamic" appearance="outline">
          <mat-label>Name</mat-label>
          <input matInput name="name" [(ngModel)]="name" maxlength="200" cdkFocusInitial required />
        </mat-form-field>
        <hone-shape-fields [(size)]="size" [(rate)]="rate" [rateReason]="rateReason()" />
        <div class="deletion">
          @if (isDeleting()) {
            <p role="alert">{{ deletionText() }}</p>
            <button mat-flat-button type="button" data-testid="delete-project" (click)="remove()">
              Delete project for good
            </button>
            <button mat-button type="button" (click)="isDeleting.set(false)">Keep it</button>
          } @else {
            <button mat-stroked-button type="button" (click)="isDeleting.set(true)">Delete project …</button>
          }
        </div>
      </div>
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <button mat-button mat-dialog-close type="button">Cancel</button>
      <button mat-flat-button type="button" [disabled]="!name().trim()" (click)="save()">
        Save settings
      </button>
    </mat-dialog-actions>
  `,
  styleUrl: './project-dialogs.scss',
})
export class ProjectSettingsDialog {
  private readonly store = inject(Store);
  private readonly self = inject(MatDialogRef);
  private readonly project = this.store.selectSignal(selectProject);
  private readonly copies = this.store.selectSignal(selectCopies);
  private readonly exports = this.store.selectSignal(selectExports);
  readonly name = signal(this.project()?.name ?? '');
  readonly size = signal(this.project()?.timeline.size ?? USUAL_SIZE);
  readonly rate = signal(this.project()?.timeline.rate ?? USUAL_RATE);
  readonly isDeleting = signal(false);

  readonly rateReason = computed(() => {
    const timeline = this.project()?.timeline;
    return timeline && timelineLength(timeline) > 0
      ? 'It cannot change while clips are on the timeline: their cuts stand on its frames.'
      : null;
  });

  readonly deletionText = computed(() => {
    const [copies, exports] = [this.copies(), this.exports()];
    const size = [...copies, ...exports].reduce((sum, each) => sum + each.bytes, 0);
    return `This deletes its timeline, its runs, ${count(copies.length, 'light copy', 'light copies')}, ${count(exports.length, 'export', 'exports')} and uploaded files, ${bytes(size)} and more. It cannot be undone. Footage in its own folders stays.`;
  });

  save(): void {
    const project = this.project();
    if (!project) return;
    const name = this.name().trim();
    if (name !== project.name)
      this.store.dispatch(ProjectActions.renamingAsked({ projectId: project.id, name }));
    const [size, rate] = [this.size(), this.rate()];
    const timeline: Timeline = { ...project.timeline, size, rate };
    const isSame =
      size.width === project.timeline.size.width &&
      size.height === project.timeline.size.height &&
      rate.num * project.timeline.rate.den === project.timeline.rate.num * rate.den;
    if (!isSame) {
      this.store.dispatch(ProjectActions.timelineEdited({ timeline }));
      this.store.dispatch(ProjectActions.deliveryEdited({ delivery: { ...project.delivery, size } }));
    }
    this.self.close();
  }

  remove(): void {
    const project = this.project();
    if (project) this.store.dispatch(ProjectActions.deletionAsked({ projectId: project.id }));
    this.self.close();
  }
}
