import { Component, computed, inject, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInputModule } from '@angular/material/input';
import { Router } from '@angular/router';
import { Store } from '@ngrx/store';
import type { ProjectEntry } from '@hone/core/api';
import { isRealTime } from '@hone/core/playback';
import { toNumber } from '@hone/core/time';
import { count, framesPerSecond, pixels, rateText, rounded, wait } from '../formatting/quantities';
import { AddFootage } from '../sources/add-footage';
import { StripPicture } from '../sources/strip-picture';
import { ProjectActions } from '../state/actions';
import { projectFeature } from '../state/project.feature';
import { NewProjectDialog } from './new-project-dialog';

/** All projects with picture, length and last verdict; where there is none, the ways to a first one. */
@Component({
  selector: 'hone-project-list',
  imports: [AddFootage, MatButtonModule, MatFormFieldModule, MatInputModule, StripPicture],
  templateUrl: './project-list.html',
  styleUrl: './project-list.scss',
})
export class ProjectList {
  private readonly store = inject(Store);
  private readonly dialog = inject(MatDialog);
  private readonly router = inject(Router);
  private readonly list = this.store.selectSignal(projectFeature.selectList);
  readonly open = this.store.selectSignal(projectFeature.selectOpen);
  readonly projects = computed(() => this.list().toReversed());
  /** The project that is being renamed, and the one whose deletion is to be confirmed. */
  readonly renamedId = signal<string | null>(null);
  readonly deletedId = signal<string | null>(null);

  constructor() {
    this.store.dispatch(ProjectActions.listAsked());
  }

  shapeText({ frames, rate, size }: ProjectEntry): string {
    if (frames === 0) return 'empty timeline';
    return `${wait(frames / toNumber(rate))} · ${pixels(size)} · ${rateText(rate)}`;
  }

  verdictText({ lastRun, rate }: ProjectEntry): string {
    if (!lastRun) return 'Not played yet';
    const shown = `${rounded(lastRun.framesPerSecondShown)} of ${framesPerSecond(toNumber(rate))}`;
    const drops = count(lastRun.dropped, 'frame', 'frames');
    return `${isRealTime(lastRun) ? 'Plays in real time' : 'Drops frames'}: ${shown}, ${drops} of ${lastRun.wanted} dropped`;
  }

  choose(projectId: string): void {
    this.store.dispatch(ProjectActions.chosen({ projectId }));
    void this.router.navigate(['/work']);
  }

  create(): void {
    this.dialog.open(NewProjectDialog, { width: '420px' });
  }

  rename(projectId: string, name: string): void {
    this.renamedId.set(null);
    if (name.trim()) this.store.dispatch(ProjectActions.renamingAsked({ projectId, name: name.trim() }));
  }

  duplicate(projectId: string): void {
    this.store.dispatch(ProjectActions.duplicationAsked({ projectId }));
  }

  remove(projectId: string): void {
    this.deletedId.set(null);
    this.store.dispatch(ProjectActions.deletionAsked({ projectId }));
  }
}
