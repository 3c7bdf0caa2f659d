import { Component, computed, inject, input, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { MatMenuModule } from '@angular/material/menu';
import { Store } from '@ngrx/store';
import { sum } from 'd3-array';
import type { RenderCacheSettings } from '@hone/core/api';
import type { CacheFormatChoice } from '@hone/core/media';
import { Api, sentenceOf } from '../api/api';
import { bytes } from '../formatting/quantities';
import { ProjectActions, RenderCacheActions } from '../state/actions';
import { projectFeature } from '../state/project.feature';
import { selectStretches } from '../state/selectors';
import { RenderCacheFormat } from './render-cache-format';
import { cacheRemovals, type CacheRemoval } from './cache-removals';

/** Most that one request deletes. */
const MOST_REMOVED = 1000;
/** Size limits that are offered, bytes. */
const QUOTAS: readonly number[] = [2e9, 10e9, 20e9, 100e9];

/** Disk space of the render cache: its size limit, and what can be deleted by rule. */
@Component({
  selector: 'hone-render-cache-space',
  imports: [MatButtonModule, MatButtonToggleModule, MatMenuModule, RenderCacheFormat],
  template: `
    <div class="lever" data-testid="cache-limit">
      <span>
        Size limit <small class="quiet">{{ usageText() }}</small>
      </span>
      @if (settings(); as limit) {
        <mat-button-toggle-group
          hideSingleSelectionIndicator
          aria-label="Size limit of the render cache"
          [value]="limit.quotaBytes"
          (change)="setQuota($event.value)"
        >
          @for (quota of quotas(); track quota) {
            <mat-button-toggle [value]="quota">{{ sizeText(quota) }}</mat-button-toggle>
          }
        </mat-button-toggle-group>
      }
    </div>
    @if (settings(); as kept) {
      <hone-render-cache-format [chosen]="kept.format" (choose)="setFormat($event)" />
      <form
        class="lever stacked"
        (submit)="$event.preventDefault(); setFolder(folder.value || null); folder.value = ''"
      >
        <span>
          Folder of new files <small class="quiet" data-testid="cache-folder">{{ kept.folder }}</small>
        </span>
        <div class="naming">
          <input
            required
            #folder
            type="text"
            maxlength="4000"
            placeholder="Whole path of another folder"
            aria-label="Another folder for the render cache"
          />
          <button mat-stroked-button type="submit">Use folder</button>
          @if (kept.chosenFolder) {
            <button mat-button type="button" (click)="setFolder(null)">Use Hone’s own</button>
          }
        </div>
        @if (missingText(); as text) {
          <small class="quiet reason">{{ text }}</small>
        }
      </form>
    }
    @if (removals().length) {
      <button mat-stroked-button type="button" data-testid="clear-cache" [matMenuTriggerFor]="menu">
        Delete cached frames …
      </button>
      <mat-menu #menu>
        @for (each of removals(); track each.name) {
          <button mat-menu-item type="button" (click)="remove(each)">
            {{ each.name }} · frees {{ sizeText(each.bytes) }}
          </button>
        }
      </mat-menu>
    }
  `,
  styleUrl: './lever-board.scss',
})
export class RenderCacheSpace {
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  /** Identifiers of the stretches that the open timeline plays. */
  readonly playing = input.required<ReadonlySet<string>>();
  private readonly stretches = this.store.selectSignal(selectStretches);
  private readonly projects = this.store.selectSignal(projectFeature.selectList);
  /** Size limit and folder of the cache; null until they are read. */
  readonly settings = signal<RenderCacheSettings | null>(null);
  readonly sizeText = bytes;
  readonly usageText = computed(() => {
    const settings = this.settings();
    const used = sum(this.stretches(), (each) => each.bytes);
    return settings ? `${bytes(used)} used · ${bytes(settings.freeBytes)} free on its drive` : 'not read yet';
  });
  readonly missingText = computed(() => {
    const { folder, chosenFolder = null } = this.settings() ?? {};
    return chosenFolder === null || chosenFolder === folder
      ? null
      : `“${chosenFolder}” is not there now. Until it is, new files go into Hone’s own folder.`;
  });
  /** Those offered, and the one that is set. */
  readonly quotas = computed(() => {
    const set = this.settings()?.quotaBytes;
    return [...new Set([...QUOTAS, ...(set === undefined ? [] : [set])])].sort((a, b) => a - b);
  });
  readonly removals = computed(() =>
    cacheRemovals(this.stretches(), this.playing(), this.projects(), Date.now()),
  );

  constructor() {
    void this.keepSettings(this.api.renderCacheSettings());
  }

  setQuota(quotaBytes: number): void {
    void this.keepSettings(this.api.setRenderCache({ quotaBytes }));
  }

  setFormat(format: CacheFormatChoice): void {
    void this.keepSettings(this.api.setRenderCache({ format }));
  }

  /** @param folder in which Hone makes one for new files; null for its own */
  setFolder(folder: string | null): void {
    void this.keepSettings(this.api.setRenderCache({ folder }));
  }

  remove({ ids }: CacheRemoval): void {
    for (let at = 0; at < ids.length; at += MOST_REMOVED)
      this.store.dispatch(RenderCacheActions.removalAsked({ ids: ids.slice(at, at + MOST_REMOVED) }));
  }

  private async keepSettings(reply: Promise<RenderCacheSettings>): Promise<void> {
    try {
      this.settings.set(await reply);
    } catch (error) {
      this.store.dispatch(ProjectActions.failed({ message: sentenceOf(error) }));
    }
  }
}
