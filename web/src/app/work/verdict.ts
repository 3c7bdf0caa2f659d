import { Component, computed, effect, inject } from '@angular/core';
import { MatSelectModule } from '@angular/material/select';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { SIMULATED_RIGS } from '@hone/core/machine';
import { isRealTime, type PacingSummary } from '@hone/core/playback';
import { toNumber } from '@hone/core/time';
import { count, framesPerSecond, percentOf, rounded } from '../formatting/quantities';
import { keptText, NEARLY_ALL, outdatedText, shareText } from '../formatting/run-words';
import { RunLogs } from '../playback/run-logs';
import { Predictions } from '../prediction/predictions';
import { RigActions } from '../state/actions';
import { machineFeature } from '../state/machine.feature';
import { selectCopies, selectMeasuredRun, selectPlayedRuns } from '../state/selectors';
import { ReleasesFocus } from './releases-focus';

interface Judged {
  readonly basis: 'measured' | 'partly measured' | 'predicted';
  readonly summary: PacingSummary;
  /** Frames a second that are wanted. */
  readonly wanted: number;
}

/** Value of the choice of machines that stands for this one. */
const HERE = '';

/** Whether the timeline plays in real time: measured where it was played as it is now, predicted elsewhere. */
@Component({
  selector: 'hone-verdict',
  imports: [MatSelectModule, ReleasesFocus, RouterLink],
  templateUrl: './verdict.html',
  styleUrl: './verdict.scss',
})
export class Verdict {
  private readonly store = inject(Store);
  private readonly logs = inject(RunLogs);
  private readonly predictions = inject(Predictions);
  private readonly run = this.store.selectSignal(selectMeasuredRun);
  private readonly runs = this.store.selectSignal(selectPlayedRuns);
  private readonly machine = this.store.selectSignal(machineFeature.selectMachineState);
  private readonly copies = this.store.selectSignal(selectCopies);
  readonly isWhatIf = this.predictions.isWhatIf;
  readonly isPending = this.predictions.isPending;
  readonly isRough = this.predictions.isRough;
  readonly isMeasuring = computed(() => Boolean(this.machine().measuring));
  readonly roughText = computed(() => {
    const origin = this.machine().trials.length
      ? 'its decoders were tried for a moment, and all else is taken from a similar one'
      : 'these are figures of a similar one';
    return `Rough: this machine is ${this.isMeasuring() ? 'being measured' : 'not measured yet'}; ${origin}.`;
  });
  readonly rigs = computed(() => [...this.machine().loaded, ...SIMULATED_RIGS]);
  readonly whatIfRigId = computed(() => this.machine().whatIfRigId ?? HERE);
  readonly machineName = computed(() => this.predictions.rig()?.name ?? '');
  readonly here = HERE;

  private readonly judged = computed((): Judged | null => {
    const predicted = this.predictions.predicted();
    const run = this.isWhatIf() ? null : this.run();
    const whole = run?.facts.wholeFrames ?? 0;
    const isWhole = run !== null && run.summary.wanted >= NEARLY_ALL * whole;
    if (run && (isWhole || !predicted))
      return { basis: 'measured', summary: run.summary, wanted: toNumber(run.facts.rate) };
    if (!predicted) return null;
    const wanted = toNumber(predicted.rate);
    return run && predicted.runId === run.id
      ? { basis: 'partly measured', summary: predicted.diagnosed, wanted }
      : { basis: 'predicted', summary: predicted.summary, wanted };
  });
  readonly plays = computed(() => {
    const judged = this.judged();
    return judged !== null && isRealTime(judged.summary);
  });
  readonly isMeasured = computed(() => this.judged()?.basis === 'measured');
  readonly title = computed(() => {
    if (this.isMeasured()) return this.plays() ? 'Plays in real time' : 'Drops frames';
    return `Predicted to ${this.plays() ? 'play' : 'drop frames'}${this.isWhatIf() ? ' there' : ''}`;
  });
  /** The verdict as one sentence: what stands before its number, the number, and the rest. */
  readonly sentence = computed(() => {
    const judged = this.judged();
    if (!judged) return null;
    const { basis, summary, wanted } = judged;
    const { dropped, framesPerSecondShown } = summary;
    const number = `${rounded(framesPerSecondShown)} of ${framesPerSecond(wanted)}`;
    const drops = `${count(dropped, 'frame', 'frames')} of ${summary.wanted} dropped`;
    if (basis !== 'predicted')
      return {
        before: basis === 'measured' ? 'Measured:' : 'Partly measured:',
        number,
        after: `; ${drops}.`,
      };
    const { framesPerSecond: spread, coreUse } = this.predictions.predicted()!;
    const isSure = spread.high - spread.low < 0.03 * wanted;
    const range = isSure ? '' : ` (${rounded(spread.low)} to ${rounded(spread.high)})`;
    return {
      before: 'Predicted:',
      number,
      after: `${range}; ${drops}, cores ${percentOf(100 * coreUse)} busy.`,
    };
  });
  /** The verdict as text, for those who hear it. */
  readonly spoken = computed(() => {
    const sentence = this.sentence();
    return sentence ? `${this.title()}. ${sentence.before} ${sentence.number}${sentence.after}` : '';
  });
  /** Part of the timeline that the last run played. */
  readonly share = computed(() => {
    const run = this.isWhatIf() ? null : this.run();
    return run && shareText(run);
  });
  /** Part of the last run that was in memory before it began. */
  readonly kept = computed(() => {
    const run = this.isWhatIf() ? null : this.run();
    return run && keptText(run);
  });
  /** Sentence that the last run is of an older timeline. */
  readonly outdated = computed(() => {
    const { outdated } = this.runs();
    return outdated && outdatedText(outdated.changed);
  });
  readonly unmeasured = computed(() => {
    const what = this.predictions.predicted()?.unmeasured ?? [];
    // A rough rig has measured nothing, which is said by itself.
    return what.length && !this.isMeasured() && !this.isRough()
      ? `Estimated, not measured on this machine: ${what.join(', ')}.`
      : null;
  });
  /** Copies in progress will change the prediction. */
  readonly making = computed(() => {
    const making = this.copies().filter(({ state }) => state === 'making').length;
    return making
      ? `${count(making, 'copy is', 'copies are')} being made; each is used as soon as it is ready.`
      : null;
  });

  constructor() {
    effect(() => this.logs.want(this.runs().last));
  }

  putUnder(rigId: string): void {
    this.store.dispatch(RigActions.rigPutUnder({ rigId: rigId || null }));
  }
}
