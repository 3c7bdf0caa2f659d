import { Component, computed, inject, linkedSignal, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInputModule } from '@angular/material/input';
import { Store } from '@ngrx/store';
import type { FolderChild, FolderEntry } from '@hone/core/api';
import { Api, sentenceOf } from '../api/api';
import { ImportActions } from '../state/actions';
import { selectLength } from '../state/selectors';
import { bytes, count } from '../formatting/quantities';

const KIND_TEXT: Readonly<Record<FolderChild['kind'], string>> = {
  media: 'media folder',
  home: 'home folder',
  drive: 'drive',
  folder: '',
};

/** Chooses footage from the folders of this machine: media folders, home and mounted drives. Nothing is copied. */
@Component({
  selector: 'hone-add-media-dialog',
  imports: [
    FormsModule,
    MatButtonModule,
    MatCheckboxModule,
    MatDialogModule,
    MatFormFieldModule,
    MatInputModule,
  ],
  templateUrl: './add-media-dialog.html',
  styleUrl: './add-media-dialog.scss',
})
export class AddMediaDialog {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly self = inject(MatDialogRef);
  private readonly length = this.store.selectSignal(selectLength);
  readonly trail = signal<readonly FolderEntry[]>([]);
  readonly folder = computed(() => this.trail().at(-1) ?? null);
  readonly chosen = signal<ReadonlySet<string>>(new Set());
  readonly problem = signal<string | null>(null);
  readonly isLoading = signal(true);
  readonly path = signal('');
  /** Whether the files go on the timeline as well: at once on an empty one. */
  readonly isPlaced = linkedSignal(() => this.length() === 0);
  readonly chosenText = computed(() =>
    this.chosen().size ? `Add ${count(this.chosen().size, 'file', 'files')}` : 'Add files',
  );
  readonly bytes = bytes;
  readonly kindText = KIND_TEXT;
  /** Whether the press that checks a file held Shift: all from the file checked before to this one. */
  isRange = false;
  private last: string | null = null;

  constructor() {
    void this.load(() => this.api.folders());
  }

  open({ id }: FolderChild): void {
    void this.load(() => this.api.folder(id));
  }

  back(): void {
    this.trail.update((trail) => trail.slice(0, -1));
    this.chosen.set(new Set());
  }

  mediaText({ mediaFiles }: FolderChild): string {
    return mediaFiles ? count(mediaFiles, 'media file', 'media files') : '';
  }

  openPath(): void {
    void this.load(() => this.api.addFolder(this.path().trim()));
  }

  async removeFolder({ id }: FolderChild): Promise<void> {
    await this.load(async () => {
      await this.api.removeFolder(id);
      this.trail.set([]);
      return this.api.folders();
    });
  }

  toggle(id: string, isOn: boolean): void {
    const ids = this.folder()?.files.map((file) => file.id) ?? [];
    const [from, to] = [ids.indexOf(this.last ?? ''), ids.indexOf(id)].toSorted((a, b) => a - b);
    const range = this.isRange && from! >= 0 ? ids.slice(from, to! + 1) : [id];
    this.chosen.update((chosen) => {
      const others = [...chosen].filter((each) => !range.includes(each));
      return new Set(isOn ? [...others, ...range] : others);
    });
    this.last = id;
    this.isRange = false;
  }

  all(): void {
    this.chosen.set(new Set(this.folder()?.files.map(({ id }) => id)));
  }

  /** Adds everything that a folder holds directly, without opening it. */
  async addFolder({ id }: FolderChild): Promise<void> {
    try {
      this.addFrom(await this.api.folder(id), null);
    } catch (error) {
      this.problem.set(sentenceOf(error));
    }
  }

  pick({ files }: HTMLInputElement): void {
    if (!files?.length) return;
    this.store.dispatch(ImportActions.filesDropped({ files: [...files], folder: null }));
    this.self.close();
  }

  add(): void {
    this.addFrom(this.folder()!, this.chosen());
  }

  private addFrom({ label, files }: FolderEntry, chosen: ReadonlySet<string> | null): void {
    const fileIds = files.map(({ id }) => id).filter((id) => !chosen || chosen.has(id));
    const name = label.split(/[\\/]/).filter(Boolean).at(-1) ?? 'New project';
    this.store.dispatch(ImportActions.filesChosen({ fileIds, name, isPlaced: this.isPlaced() }));
    this.self.close();
  }

  private async load(read: () => Promise<FolderEntry>): Promise<void> {
    this.isLoading.set(true);
    try {
      const entry = await read();
      this.trail.update((trail) => [...trail, entry]);
      this.chosen.set(new Set());
      this.last = null;
      this.problem.set(null);
    } catch (error) {
      this.problem.set(sentenceOf(error));
    } finally {
      this.isLoading.set(false);
    }
  }
}
