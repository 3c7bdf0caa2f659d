import { afterNextRender, Component, computed, ElementRef, inject, viewChild } from '@angular/core';
import { Store } from '@ngrx/store';
import { tracksLeftOut } from '@hone/core/levers';
import { bypassedOf, definitionOf } from '@hone/core/render';
import type { Track } from '@hone/core/timeline';
import { Playback } from '../playback/playback';
import { playbackFeature } from '../state/playback.feature';
import { selectPlate, selectTimeline, selectPlayedTuning } from '../state/selectors';
import { count, pixels } from '../formatting/quantities';
import { originText } from '../formatting/source-words';
import { LiveReadout } from './live-readout';
import { Transport } from './transport';

/** The picture, which pixels it consists of, how it plays now, and the transport. */
@Component({
  selector: 'hone-viewer',
  imports: [LiveReadout, Transport],
  templateUrl: './viewer.html',
  styleUrl: './viewer.scss',
})
export class Viewer {
  private readonly store = inject(Store);
  private readonly playback = inject(Playback);
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('canvas');
  private readonly timeline = this.store.selectSignal(selectTimeline);
  private readonly tuning = this.store.selectSignal(selectPlayedTuning);
  readonly plate = this.store.selectSignal(selectPlate);
  readonly state = this.store.selectSignal(playbackFeature.selectState);
  readonly plateText = computed(() => {
    const plate = this.plate();
    if (!plate) return 'no picture yet';
    const from = plate.from.map(originText).join(' and ') || 'no clip';
    const on = plate.composedOn === 'processor' ? '' : ` · composed on the ${plate.composedOn}`;
    return `preview ${pixels(plate.size)} of ${pixels(plate.full)} · ${from}${on}`;
  });
  readonly leftOut = computed(() => {
    const kinds = this.plate()?.leftOut ?? [];
    const names = kinds.map((kind) => definitionOf(kind).name).join(' and ');
    return (
      names && `Not in this preview: ${names}. ${kinds.length > 1 ? 'They are' : 'It is'} in the export.`
    );
  });
  /** Tracks and effects of clips that the preview leaves out while it plays, and the export has. */
  readonly tracksOut = computed(() => {
    const [timeline, tuning] = [this.timeline(), this.tuning()];
    const tracks = timeline && tuning ? tracksLeftOut(timeline, tuning) : [];
    const namesOf = (kind: Track['kind']): string =>
      tracks
        .filter((track) => track.kind === kind)
        .map(({ name }) => name)
        .join(', ');
    const [pictures, sounds] = [namesOf('picture'), namesOf('sound')];
    const seen = tuning?.listenOnly ? 'no picture' : pictures && `without ${pictures}`;
    const clips = (timeline?.tracks ?? []).flatMap((track) => (track.kind === 'picture' ? track.clips : []));
    const bypassed = tuning ? clips.filter((clip) => bypassedOf(clip, tuning).length > 0) : [];
    const effects = bypassed.length && `without effects of ${count(bypassed.length, 'clip', 'clips')}`;
    const always = tuning?.bypassAtRest ? effects : 0;
    const pace = tuning?.everySecondFrame && !tuning.listenOnly ? 'every second frame' : '';
    const parts = [seen, pace, always ? 0 : effects, sounds && `${sounds} muted`].filter(Boolean).join('; ');
    const sentences = [parts && `While playing: ${parts}.`, always && `Playing and at rest: ${always}.`];
    const text = sentences.filter(Boolean).join(' ');
    return text && `${text} All is in the export.`;
  });
  readonly label = computed(() => `Picture of the timeline: ${this.plateText()}`);

  constructor() {
    afterNextRender(() => void this.playback.attach(this.canvas().nativeElement));
  }
}
