import { Component, computed, inject } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { Store } from '@ngrx/store';
import type { Source } from '@hone/core/api';
import { placeable } from '@hone/core/media';
import { toNumber } from '@hone/core/time';
import { appendSource } from '@hone/core/timeline';
import { ProjectActions } from '../state/actions';
import { mediaFeature } from '../state/features';
import { selectCopyRows, selectProject, selectSources } from '../state/selectors';
import { bitRate, bytes, pixels } from '../words/quantities';
import { AddMediaDialog } from './add-media-dialog';

/** The files of the project, with their facts. */
@Component({
  selector: 'hone-sources-page',
  imports: [MatButtonModule],
  templateUrl: './sources-page.html',
  styleUrl: './sources-page.scss',
})
export class SourcesPage {
  private readonly store = inject(Store);
  private readonly dialog = inject(MatDialog);
  readonly project = this.store.selectSignal(selectProject);
  readonly sources = this.store.selectSignal(selectSources);
  private readonly uploadShares = this.store.selectSignal(mediaFeature.selectUploads);
  readonly uploads = computed(() =>
    Object.entries(this.uploadShares()).map(
      ([name, share]) => `${name} is on its way: ${Math.round(100 * share)} %`,
    ),
  );
  private readonly copyRows = this.store.selectSignal(selectCopyRows);
  private readonly used = computed(() => {
    const clips = this.project()?.timeline.tracks.flatMap((track) => track.clips) ?? [];
    return new Set(clips.map(({ sourceId }) => sourceId));
  });

  picture({ facts }: Source): string {
    const picture = facts?.picture;
    if (!picture) return facts ? 'sound only' : '';
    const rate = Number(toNumber(picture.rate).toFixed(3));
    return `${pixels(picture.size)} · ${rate} frames/s${picture.constantRate ? '' : ', varying'}`;
  }

  codec({ facts }: Source): string {
    const picture = facts?.picture;
    const parts = picture ? [picture.codec, picture.profile, picture.pixelFormat] : [];
    return [...parts, facts?.sound ? `sound ${facts.sound.codec}` : ''].filter(Boolean).join(' · ');
  }

  length({ facts }: Source): string {
    return facts ? `${toNumber(facts.duration).toFixed(2)} s` : '';
  }

  weight({ facts, bytes: size }: Source): string {
    return facts ? `${bytes(size)} · ${bitRate(facts.bitsPerSecond)}` : '';
  }

  copy({ id }: Source): string {
    const copy = this.copyRows().find(({ source }) => source.id === id)?.copy;
    if (!copy) return 'none';
    return copy.state === 'ready' ? `${pixels(copy)} · ${bytes(copy.bytes)}` : copy.state;
  }

  isUsed({ id }: Source): boolean {
    return this.used().has(id);
  }

  place(source: Source): void {
    const project = this.project();
    if (!project || !source.facts) return;
    try {
      const timeline = appendSource(project.timeline, placeable(source.id, source.name, source.facts), () =>
        crypto.randomUUID(),
      );
      this.store.dispatch(ProjectActions.timelineEdited({ timeline }));
    } catch (error) {
      this.store.dispatch(ProjectActions.failed({ message: (error as Error).message }));
    }
  }

  add(): void {
    this.dialog.open(AddMediaDialog, { width: '620px' });
  }
}
