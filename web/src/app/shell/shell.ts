import { Component, computed, effect, inject, signal } from '@angular/core';
import { RouterLink, RouterLinkActive, RouterOutlet } from '@angular/router';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { Store } from '@ngrx/store';
import { simulatedDrive } from '@hone/core/machine';
import { ServerEvents } from '../api/server-events';
import { BackgroundWork } from '../background/background-work';
import { ProjectMenu } from '../projects/project-menu';
import { DropTarget } from '../sources/drop-target';
import { ShortcutSheet } from '../shortcuts/shortcut-sheet';
import { OpensWhileDragging } from './opens-while-dragging';
import { ProjectActions, RigActions } from '../state/actions';
import { projectFeature } from '../state/project.feature';
import { machineFeature } from '../state/machine.feature';

const THEME = 'hone.theme';

/** The frame around all pages: rail, head, notice, and what runs in the background. */
@Component({
  selector: 'hone-root',
  imports: [
    RouterOutlet,
    RouterLink,
    RouterLinkActive,
    MatButtonModule,
    BackgroundWork,
    DropTarget,
    ProjectMenu,
    OpensWhileDragging,
  ],
  templateUrl: './shell.html',
  styleUrl: './shell.scss',
  host: { '(document:keydown)': 'onKey($event)' },
})
export class Shell {
  private readonly store = inject(Store);
  private readonly dialog = inject(MatDialog);
  readonly notice = this.store.selectSignal(projectFeature.selectNotice);
  readonly isFault = this.store.selectSignal(projectFeature.selectIsFault);
  readonly connected = this.store.selectSignal(projectFeature.selectConnected);
  readonly light = signal(localStorage.getItem(THEME) === 'light');
  private readonly driveId = this.store.selectSignal(machineFeature.selectDriveId);
  readonly simulated = computed(() => simulatedDrive(this.driveId())?.name ?? null);
  readonly pages = [
    { path: 'work', name: 'Work' },
    { path: 'sources', name: 'Sources' },
    { path: 'rig', name: 'Rig' },
    { path: 'runs', name: 'Runs' },
    { path: 'export', name: 'Export' },
  ];

  constructor() {
    inject(ServerEvents).listen();
    this.store.dispatch(ProjectActions.pageOpened());
    this.store.dispatch(RigActions.pageOpened());
    effect(() => {
      document.documentElement.classList.toggle('light', this.light());
      localStorage.setItem(THEME, this.light() ? 'light' : 'dark');
    });
  }

  endSimulation(): void {
    this.store.dispatch(RigActions.driveChosen({ driveId: null }));
  }

  /** Puts the focus on a part of the page; on pages without it, on the page itself. */
  skipTo(event: Event, selector: string): void {
    event.preventDefault();
    (document.querySelector<HTMLElement>(selector) ?? document.querySelector<HTMLElement>('main'))?.focus();
  }

  readNotice(): void {
    this.store.dispatch(ProjectActions.noticeRead());
  }

  showShortcuts(): void {
    if (this.dialog.openDialogs.length === 0) this.dialog.open(ShortcutSheet, { width: '560px' });
  }

  onKey(event: KeyboardEvent): void {
    const typing = (event.target as HTMLElement | null)?.closest('input, textarea, select, mat-select');
    if (event.key === '?' && !typing) this.showShortcuts();
  }
}
