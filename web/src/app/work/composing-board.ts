import { Component, computed, inject } from '@angular/core';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { Store } from '@ngrx/store';
import { COMPOSE_PROCESSORS, type ComposeProcessor } from '@hone/core/levers';
import { composingMs, lacksGraphics } from '@hone/core/machine';
import { Levers } from '../playback/levers';
import { machineFeature } from '../state/machine.feature';
import { selectComposeOn } from '../state/selectors';
import { PositionGains, type LeverPosition } from './position-gains';
import { composingNote, noGraphicsNote } from './composing-words';

/** What composes the frames of the preview. */
@Component({
  selector: 'hone-composing-board',
  imports: [MatButtonToggleModule, PositionGains],
  templateUrl: './composing-board.html',
  styleUrl: './lever-board.scss',
})
export class ComposingBoard {
  private readonly levers = inject(Levers);
  private readonly store = inject(Store);
  private readonly rig = this.store.selectSignal(machineFeature.selectOwn);
  private readonly now = this.store.selectSignal(selectComposeOn);
  readonly processors = COMPOSE_PROCESSORS;
  readonly chosen = computed(() => this.levers.tuning()?.composeOn ?? 'automatic');
  readonly lacksGraphics = computed(() => {
    const rig = this.rig();
    return rig !== null && lacksGraphics(rig);
  });
  readonly note = computed(() => composingNote(this.rig(), this.now()));
  readonly reason = computed(() => {
    const rig = this.rig();
    return rig && noGraphicsNote(rig);
  });

  /** null where there is no choice, or nothing was measured of it. */
  readonly positions = computed((): readonly LeverPosition[] | null => {
    const rig = this.rig();
    if (!rig || composingMs(rig, 'graphics processor') === undefined) return null;
    return COMPOSE_PROCESSORS.map((composeOn) => ({ name: composeOn, change: { composeOn } }));
  });

  choose(processor: ComposeProcessor | 'automatic'): void {
    this.levers.move({ composeOn: processor === 'automatic' ? undefined : processor });
  }
}
