import { Component, inject } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { MatMenuModule } from '@angular/material/menu';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import type { Project } from '@hone/core/api';
import { ProjectActions } from '../state/actions';
import { projectFeature } from '../state/project.feature';
import { pixels, rateText } from '../formatting/quantities';
import { NewProjectDialog } from './new-project-dialog';
import { ProjectSettingsDialog } from './project-settings-dialog';

/** Name of the open project, and the way to others. */
@Component({
  selector: 'hone-project-menu',
  imports: [MatButtonModule, MatMenuModule, RouterLink],
  template: `
    <button mat-button type="button" [matMenuTriggerFor]="menu" aria-label="Projects">
      <b>{{ project()?.name ?? 'No project' }}</b>
    </button>
    @if (project(); as open) {
      <span class="quiet">{{ shapeText(open) }}</span>
    }
    <mat-menu #menu>
      @for (entry of list(); track entry.id) {
        <button mat-menu-item type="button" (click)="choose(entry.id)">{{ entry.name }}</button>
      }
      <a mat-menu-item routerLink="/projects">All projects</a>
      <button mat-menu-item type="button" (click)="create()">New project …</button>
      @if (project()) {
        <button mat-menu-item type="button" (click)="openSettings()">Project settings …</button>
      }
    </mat-menu>
  `,
})
export class ProjectMenu {
  private readonly store = inject(Store);
  private readonly dialog = inject(MatDialog);
  readonly project = this.store.selectSignal(projectFeature.selectOpen);
  readonly list = this.store.selectSignal(projectFeature.selectList);

  shapeText({ timeline, takesFirstShape }: Project): string {
    if (takesFirstShape) return 'size and rate as the first clip';
    return `${pixels(timeline.size)} · ${rateText(timeline.rate)}`;
  }

  choose(projectId: string): void {
    this.store.dispatch(ProjectActions.chosen({ projectId }));
  }

  openSettings(): void {
    this.dialog.open(ProjectSettingsDialog, { width: '460px' });
  }

  create(): void {
    this.dialog.open(NewProjectDialog, { width: '420px' });
  }
}
