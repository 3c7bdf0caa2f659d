import { Component, computed, inject, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { Store } from '@ngrx/store';
import type { FolderEntry } from '@hone/core/api';
import { Api, sentenceOf } from '../api/api';
import { ProjectActions } from '../state/actions';
import { bytes, count } from '../formatting/quantities';

/** Chooses files from the folders that the server may read, or takes dropped ones. */
@Component({
  selector: 'hone-add-media-dialog',
  imports: [MatButtonModule, MatCheckboxModule, MatDialogModule],
  templateUrl: './add-media-dialog.html',
  styleUrl: './add-media-dialog.scss',
})
export class AddMediaDialog {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly self = inject(MatDialogRef);
  readonly trail = signal<readonly FolderEntry[]>([]);
  readonly folder = computed(() => this.trail().at(-1) ?? null);
  readonly chosen = signal<ReadonlySet<string>>(new Set());
  readonly problem = signal<string | null>(null);
  readonly chosenText = computed(() => `Add ${count(this.chosen().size, 'file', 'files')}`);
  readonly bytes = bytes;

  constructor() {
    void this.load(() => this.api.folders());
  }

  open(id: string): void {
    void this.load(() => this.api.folder(id));
  }

  back(): void {
    this.trail.update((trail) => trail.slice(0, -1));
  }

  toggle(id: string): void {
    this.chosen.update((chosen) => {
      const next = new Set(chosen);
      if (!next.delete(id)) next.add(id);
      return next;
    });
  }

  all(): void {
    this.chosen.update((chosen) => new Set([...chosen, ...(this.folder()?.files.map(({ id }) => id) ?? [])]));
  }

  add(): void {
    this.store.dispatch(ProjectActions.filesChosen({ fileIds: [...this.chosen()] }));
    this.self.close();
  }

  drop(event: DragEvent): void {
    event.preventDefault();
    this.take([...(event.dataTransfer?.files ?? [])]);
  }

  pick(event: Event): void {
    this.take([...((event.target as HTMLInputElement).files ?? [])]);
  }

  private take(files: File[]): void {
    if (files.length === 0) return;
    this.store.dispatch(ProjectActions.filesDropped({ files }));
    this.self.close();
  }

  private async load(read: () => Promise<FolderEntry>): Promise<void> {
    try {
      const entry = await read();
      this.trail.update((trail) => [...trail, entry]);
      this.problem.set(null);
    } catch (error) {
      this.problem.set(sentenceOf(error));
    }
  }
}
