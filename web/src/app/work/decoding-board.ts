import { Component, computed, inject } from '@angular/core';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { Store } from '@ngrx/store';
import { DECODE_PATHS, withPath, type DecodePath } from '@hone/core/levers';
import { Levers } from '../playback/levers';
import { selectKnownRig, selectPlan, selectSources } from '../state/selectors';
import { decodingRows, type DecodingRow } from './decoding-rows';
import { decodingName, decodingNote, lackingNote, NO_HARDWARE } from './decoding-words';

/** How the browser decodes each kind of picture that the timeline plays. */
@Component({
  selector: 'hone-decoding-board',
  imports: [MatButtonToggleModule],
  templateUrl: './decoding-board.html',
  styleUrl: './lever-board.scss',
})
export class DecodingBoard {
  private readonly store = inject(Store);
  private readonly levers = inject(Levers);
  private readonly plan = this.store.selectSignal(selectPlan);
  private readonly sources = this.store.selectSignal(selectSources);
  private readonly rig = this.store.selectSignal(selectKnownRig);
  readonly paths = DECODE_PATHS;
  readonly noHardware = NO_HARDWARE;

  private readonly drawsInSoftware = computed(() => this.rig()?.graphics.software === true);
  readonly hasNoHardware = computed(
    () => this.drawsInSoftware() && this.rows().some(({ lacking }) => lacking.includes('hardware')),
  );

  readonly rows = computed(() => {
    const plan = this.plan();
    if (!plan) return [];
    return decodingRows(plan, this.sources(), this.rig(), this.levers.tuning()?.decodePaths).map((row) => ({
      ...row,
      name: decodingName(row),
      note: decodingNote(row),
      reason: lackingNote(row, this.drawsInSoftware()),
    }));
  });

  choose(row: DecodingRow, path: DecodePath | 'automatic'): void {
    const chosen = path === 'automatic' ? undefined : path;
    this.levers.move({ decodePaths: withPath(this.levers.tuning()?.decodePaths, row, chosen) });
  }
}
