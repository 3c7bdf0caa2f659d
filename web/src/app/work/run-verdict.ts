import { Component, computed, effect, inject } from '@angular/core';
import { Store } from '@ngrx/store';
import { isRealTime } from '@hone/core/playback';
import { outdatedText, shareText, verdictText } from '../formatting/run-words';
import { RunLogs } from '../playback/run-logs';
import { selectPlayedRun, selectPlayedRuns } from '../state/selectors';

/** Whether the timeline plays in real time, as the last run measured it. */
@Component({
  selector: 'hone-run-verdict',
  templateUrl: './run-verdict.html',
  styleUrl: './run-verdict.scss',
})
export class RunVerdict {
  private readonly store = inject(Store);
  private readonly logs = inject(RunLogs);
  readonly run = this.store.selectSignal(selectPlayedRun);
  private readonly runs = this.store.selectSignal(selectPlayedRuns);

  readonly isSmooth = computed(() => {
    const run = this.run();
    return run !== null && isRealTime(run.summary);
  });
  readonly sentence = computed(() => {
    const run = this.run();
    return run && verdictText(run);
  });
  /** Part of the timeline that the last run played. */
  readonly share = computed(() => {
    const run = this.run();
    return run && shareText(run);
  });
  /** Sentence that the last run is of an older timeline. */
  readonly outdated = computed(() => {
    const outdated = this.runs().outdated;
    return outdated && outdatedText(outdated.changed);
  });

  constructor() {
    effect(() => this.logs.want(this.run()));
  }
}
