import { Component, inject } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { MatMenuModule } from '@angular/material/menu';
import { Store } from '@ngrx/store';
import { formatRational, toNumber } from '@hone/core/time';
import { ProjectActions } from '../state/actions';
import { projectFeature } from '../state/features';
import { NewProjectDialog } from './new-project-dialog';

/** Name of the open project, and the way to others. */
@Component({
  selector: 'hone-project-menu',
  imports: [MatButtonModule, MatMenuModule],
  template: `
    <button mat-button type="button" [matMenuTriggerFor]="menu" aria-label="Projects">
      <b>{{ project()?.name ?? 'No project' }}</b>
    </button>
    @if (project(); as open) {
      <span class="quiet"
        >{{ open.timeline.size.width }} × {{ open.timeline.size.height }} · {{ rate() }} frames/s</span
      >
    }
    <mat-menu #menu>
      @for (entry of list(); track entry.id) {
        <button mat-menu-item type="button" (click)="choose(entry.id)">{{ entry.name }}</button>
      }
      <button mat-menu-item type="button" (click)="create()">New project …</button>
    </mat-menu>
  `,
})
export class ProjectMenu {
  private readonly store = inject(Store);
  private readonly dialog = inject(MatDialog);
  readonly project = this.store.selectSignal(projectFeature.selectOpen);
  readonly list = this.store.selectSignal(projectFeature.selectList);

  rate(): string {
    const rate = this.project()!.timeline.rate;
    return rate.den === 1 ? formatRational(rate) : toNumber(rate).toFixed(3);
  }

  choose(projectId: string): void {
    this.store.dispatch(ProjectActions.chosen({ projectId }));
  }

  create(): void {
    this.dialog.open(NewProjectDialog, { width: '420px' });
  }
}
