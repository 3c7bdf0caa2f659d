import { Component, computed, inject, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatSelectModule } from '@angular/material/select';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { Store } from '@ngrx/store';
import { missingMedia, relinkable, relink, type ImportedTimeline } from '@hone/core/interchange';
import { compare, type Rational } from '@hone/core/time';
import { timelineFaults } from '@hone/core/timeline';
import { Api, sentenceOf } from '../api/api';
import { ImportActions, ProjectActions } from '../state/actions';
import { selectProject, selectSources } from '../state/selectors';
import { count, rateText } from '../formatting/quantities';
import type { OpenedTimeline } from './timeline-files';

/** Contents of a timeline file: which media are there, and a search for the others. */
@Component({
  selector: 'hone-import-dialog',
  imports: [MatButtonModule, MatDialogModule, MatFormFieldModule, MatSelectModule],
  templateUrl: './import-dialog.html',
  styles: `
    h3 {
      margin-top: 12px;
      font-size: 13px;
    }

    ul {
      margin: 4px 0;
      padding-left: 20px;
      max-height: 180px;
      overflow: auto;
    }
  `,
})
export class ImportDialog {
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly self = inject(MatDialogRef);
  private readonly opened = inject<OpenedTimeline>(MAT_DIALOG_DATA);
  readonly read = signal(this.opened.imported);
  readonly imported = this.read.asReadonly();
  readonly rates = this.opened.rates;
  private readonly project = this.store.selectSignal(selectProject);
  private readonly sources = this.store.selectSignal(selectSources);
  private readonly known = computed(() => this.sources().map(relinkable));
  readonly busy = signal(false);
  readonly problem = signal<string | null>(null);
  readonly missing = computed(() => missingMedia(this.imported(), this.known()));
  readonly about = computed(() => this.describe(this.imported()));
  readonly mediaText = computed(() => {
    const names = new Set(
      this.imported().tracks.flatMap(({ clips }) => clips.map(({ media }) => media.target + media.name)),
    );
    const missing = this.missing().length;
    return `${names.size - missing} of ${count(names.size, 'file', 'files')} found${missing ? '; these are missing:' : '.'}`;
  });

  readonly rateText = rateText;
  readonly isRate = (a: Rational, b: Rational): boolean => compare(a, b) === 0;

  chooseRate(rate: Rational): void {
    try {
      this.read.set(this.opened.readAt(rate));
      this.problem.set(null);
    } catch (error) {
      this.problem.set(sentenceOf(error));
    }
  }

  async search(): Promise<void> {
    await this.find(false);
  }

  async use(): Promise<void> {
    if (this.missing().length && !(await this.find(true))) return;
    const project = this.project();
    if (!project) return;
    const newId = (): string => crypto.randomUUID();
    const timeline = relink(this.imported(), this.known(), project.timeline.size, newId);
    const [fault] = timelineFaults(timeline);
    if (fault) {
      this.problem.set(`The timeline was left as it is: ${fault}`);
      return;
    }
    this.store.dispatch(ProjectActions.timelineEdited({ timeline }));
    this.self.close();
  }

  private async find(keepMissing: boolean): Promise<boolean> {
    const project = this.project();
    if (!project) return false;
    this.busy.set(true);
    this.problem.set(null);
    try {
      const names = this.missing().map(({ name }) => name);
      const contents = this.missing().flatMap(({ name, content }) => (content ? [{ name, ...content }] : []));
      const sources = await this.api.searchMedia(project.id, { names, keepMissing, contents });
      this.store.dispatch(ImportActions.sourcesAdded({ sources }));
      return true;
    } catch (error) {
      this.problem.set(sentenceOf(error));
      return false;
    } finally {
      this.busy.set(false);
    }
  }

  private describe({ tracks, rate, markers }: ImportedTimeline): string {
    const clips = tracks.reduce((sum, track) => sum + track.clips.length, 0);
    const marks = markers.length ? `, ${count(markers.length, 'marker', 'markers')}` : '';
    return `${count(tracks.length, 'track', 'tracks')}, ${count(clips, 'clip', 'clips')}${marks}, ${rateText(rate)}`;
  }
}
