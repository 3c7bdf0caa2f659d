import { effect, inject, Injectable, signal, untracked } from '@angular/core';
import type { Source } from '@hone/core/api';
import { toNumber } from '@hone/core/time';
import { Store } from '@ngrx/store';
import { Api } from '../api/api';
import type { ClipPreview } from '../drawing/track-drawing';
import { playbackFeature } from '../state/playback.feature';
import { selectSources, selectUsedIds } from '../state/selectors';

/** Filmstrips and waveforms of the sources on the timeline, loaded one after the other while nothing plays. */
@Injectable({ providedIn: 'root' })
export class ClipPreviews {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly sources = this.store.selectSignal(selectSources);
  private readonly used = this.store.selectSignal(selectUsedIds);
  private readonly state = this.store.selectSignal(playbackFeature.selectState);
  private readonly loaded = signal<ReadonlyMap<string, ClipPreview>>(new Map());
  /** What was asked for, as it was then; what failed is asked for again once the source has changed. */
  private readonly asked = new Set<string>();
  private isLoading = false;

  /** Previews by source. */
  readonly all = this.loaded.asReadonly();

  constructor() {
    effect(() => {
      this.loaded();
      const next = this.sources().find(
        (source) => this.used().has(source.id) && !this.asked.has(keyOf(source)),
      );
      if (!next || this.state() !== 'still') return;
      untracked(() => void this.load(next));
    });
  }

  private async load(source: Source): Promise<void> {
    if (this.isLoading) return;
    this.isLoading = true;
    this.asked.add(keyOf(source));
    const [strip, peaks] = await Promise.all([this.stripOf(source), this.peaksOf(source)]);
    this.isLoading = false;
    const seconds = source.facts ? toNumber(source.facts.duration) : 0;
    const preview = { seconds, ...(strip ? { strip } : {}), ...(peaks ? { peaks } : {}) };
    this.loaded.update((all) => new Map([...all, [source.id, preview]]));
  }

  private async stripOf({ id, stamp, strip }: Source): Promise<ClipPreview['strip']> {
    if (!strip) return undefined;
    const image = new Image();
    image.src = `/media/strips/${id}?of=${encodeURIComponent(stamp)}`;
    return image.decode().then(
      () => ({ ...strip, image }),
      () => undefined,
    );
  }

  private async peaksOf({ id, sound }: Source): Promise<Uint8Array | undefined> {
    return sound ? this.api.peaks(id).catch(() => undefined) : undefined;
  }
}

/** A source with what there is of it to be drawn. */
const keyOf = ({ id, stamp, strip, sound }: Source): string => [id, stamp, !!strip, !!sound].join(' ');
