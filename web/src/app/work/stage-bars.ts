import { Component, computed, input } from '@angular/core';
import { STAGES, type Stage } from '@hone/core/playback';
import { STAGE_NAMES } from '../formatting/stage-words';
import { percentOf } from '../formatting/quantities';

/** Full width of a bar, in per cent of the frame budget; the 100 % line is at half of it. */
const FULL = 200;

/** The load of each stage, in per cent of the frame budget, with the line at 100 %. */
@Component({
  selector: 'hone-stage-bars',
  template: `
    @for (bar of bars(); track bar.stage) {
      <div class="row" [class.limiting]="bar.stage === limiting()">
        <span>{{ bar.name }}</span>
        <span class="track">
          <span class="bar {{ bar.stage }}" [style.width.%]="bar.width"></span>
          <span class="budget"></span>
        </span>
        <span class="number">{{ bar.text }}</span>
      </div>
    }
    <p class="quiet">{{ note() }}</p>
  `,
  styleUrl: './stage-bars.scss',
})
export class StageBars {
  /** null for a stage that was not measured. */
  readonly loads = input.required<Readonly<Record<Stage, number | null>>>();
  readonly limiting = input<Stage | null>(null);
  readonly note = input('per cent of the frame budget; the line is 100 %');
  readonly bars = computed(() =>
    STAGES.map((stage) => ({
      stage,
      name: STAGE_NAMES[stage],
      width: Math.min(100, (100 * (this.loads()[stage] ?? 0)) / FULL),
      text: textOf(this.loads()[stage]),
    })),
  );
}

const textOf = (load: number | null): string => (load === null ? '–' : percentOf(load));
