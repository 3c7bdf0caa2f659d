import { Component, input } from '@angular/core';
import { STAGES } from '@hone/core/playback';
import { STAGE_NAMES } from '../formatting/stage-words';

/** What colours and marks mean in the lanes of a run or a prediction. */
@Component({
  selector: 'hone-lane-legend',
  template: `
    @if (hasStages()) {
      <span><b class="late"></b> shown, height = lateness up to one frame</span>
    } @else {
      @for (stage of stages; track stage.stage) {
        <span><b [style.background]="'var(--stage-' + stage.stage + ')'"></b> {{ stage.name }}</span>
      }
    }
    <span><b class="dropped"></b> dropped</span>
    @if (isOnTimeline()) {
      <span><b class="predicted"></b> predicted</span>
    }
    <span><b class="budget"></b> 100 % of the frame budget</span>
    @if (isOnTimeline()) {
      <span><b class="effects"></b> clip with effects</span>
    }
  `,
  styles: `
    :host {
      display: flex;
      gap: 12px;
      white-space: nowrap;
      overflow: hidden;
      font-size: 11.5px;
    }
    b {
      display: inline-block;
      width: 12px;
      height: 10px;
      margin-right: 4px;
    }
    .predicted {
      height: 6px;
      border-top: 1px solid var(--ink);
    }
    .dropped {
      background: var(--ink);
    }
    .effects {
      border-bottom: 2px solid var(--stage-effects);
    }
    .late {
      border-bottom: 2px solid var(--quiet);
    }
    .budget {
      height: 5px;
      border-top: 1px solid var(--quiet);
    }
  `,
})
export class LaneLegend {
  /** Whether each stage has a lane of its own. */
  readonly hasStages = input.required<boolean>();
  /** Whether the lanes stand under the clips of the timeline, with its prediction. */
  readonly isOnTimeline = input(false);
  readonly stages = STAGES.map((stage) => ({ stage, name: STAGE_NAMES[stage].toLowerCase() }));
}
