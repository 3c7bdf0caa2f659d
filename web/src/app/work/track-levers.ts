import { Component, computed, inject } from '@angular/core';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { MatSlideToggleModule } from '@angular/material/slide-toggle';
import { Store } from '@ngrx/store';
import { relist } from '@hone/core/levers';
import { Levers } from '../playback/levers';
import { selectTimeline } from '../state/selectors';

/** Levers of a track, each a list of tracks in the tuning. */
type TrackLever = 'tracksOff' | 'soloTracks';

/** Which tracks are seen and heard while a preview plays. */
@Component({
  selector: 'hone-track-levers',
  imports: [MatButtonToggleModule, MatSlideToggleModule],
  templateUrl: './track-levers.html',
  styleUrl: './lever-board.scss',
})
export class TrackLevers {
  readonly levers = inject(Levers);
  private readonly timeline = inject(Store).selectSignal(selectTimeline);

  /** Tracks with clips, as the timeline lists them: pictures from the topmost down, then sound. */
  readonly rows = computed(() => {
    const tracks = (this.timeline()?.tracks ?? []).filter(({ clips }) => clips.length > 0);
    const pictures = tracks.filter(({ kind }) => kind === 'picture').reverse();
    const { tracksOff = [], soloTracks = [] } = this.levers.tuning() ?? {};
    return [...pictures, ...tracks.filter(({ kind }) => kind === 'sound')].map(({ id, name, kind }) => ({
      ...{ id, name },
      off: kind === 'picture' ? 'Picture off' : 'Mute',
      moved: [
        ...(tracksOff.includes(id) ? ['tracksOff'] : []),
        ...(soloTracks.includes(id) ? ['soloTracks'] : []),
      ],
    }));
  });

  move(id: string, moved: readonly TrackLever[]): void {
    const { tracksOff, soloTracks } = this.levers.tuning() ?? {};
    this.levers.move({
      tracksOff: relist(tracksOff, [id], moved.includes('tracksOff')),
      soloTracks: relist(soloTracks, [id], moved.includes('soloTracks')),
    });
  }
}
