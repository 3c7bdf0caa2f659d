import { Component, computed, inject, input, output } from '@angular/core';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import type { CacheFormatChoice } from '@hone/core/media';
import { toNumber } from '@hone/core/time';
import { offeredFormats } from '../formatting/cache-format-words';
import { machineFeature } from '../state/machine.feature';
import { selectPlan } from '../state/selectors';
import { ReleasesFocus } from './releases-focus';

/** How cached stretches are coded, with what each way takes on this machine. */
@Component({
  selector: 'hone-render-cache-format',
  imports: [MatSelectModule, ReleasesFocus],
  template: `
    <span>Format <small class="quiet">of what is rendered from now on</small></span>
    <mat-select
      honeReleasesFocus
      aria-label="Format of the render cache"
      data-testid="cache-format"
      panelWidth=""
      [value]="chosen()"
      (selectionChange)="choose.emit($event.value)"
    >
      <mat-select-trigger>{{ shown()?.name }}</mat-select-trigger>
      @for (each of offered(); track each.choice) {
        <mat-option [value]="each.choice" [disabled]="each.problem !== null">
          {{ each.name }} <small class="quiet">{{ each.problem ?? each.text }}</small>
        </mat-option>
      }
    </mat-select>
    <small class="quiet reason" data-testid="cache-format-note">{{ shown()?.text }}</small>
  `,
  styleUrl: './lever-board.scss',
  host: { class: 'lever stacked' },
})
export class RenderCacheFormat {
  private readonly store = inject(Store);
  private readonly rig = this.store.selectSignal(machineFeature.selectOwn);
  private readonly plan = this.store.selectSignal(selectPlan);
  readonly chosen = input.required<CacheFormatChoice>();
  readonly choose = output<CacheFormatChoice>();

  readonly offered = computed(() => {
    const preview = this.plan()?.preview;
    if (!preview) return [];
    const framesPerSecond = toNumber(preview.graph.rate);
    return offeredFormats(this.rig(), { size: preview.playSize, framesPerSecond });
  });
  readonly shown = computed(() => this.offered().find(({ choice }) => choice === this.chosen()));
}
