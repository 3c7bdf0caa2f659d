import { Component, computed, effect, inject } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { Store } from '@ngrx/store';
import {
  concurrencyOf,
  limitingStage,
  overloadedSources,
  type Finding,
  type WantedCopy,
} from '@hone/core/findings';
import { memoryShares } from '@hone/core/rig';
import { toNumber } from '@hone/core/time';
import { Playback } from '../playback/playback';
import { RunLogs } from '../playback/run-logs';
import { Predictions } from '../prediction/predictions';
import { CopyActions, ProjectActions } from '../state/actions';
import { mediaFeature } from '../state/features';
import { machineFeature } from '../state/machine.feature';
import {
  selectCopyRows,
  selectPlayedRun,
  selectPlayedRuns,
  selectTuning,
  type CopyRow,
} from '../state/selectors';
import { FAR_FROM_FULL, findingSentence, findingTitle } from '../formatting/finding-words';
import { bytes, count, percentOf, wait } from '../formatting/quantities';
import { outdatedText, shareText } from '../formatting/run-words';
import { copiesByDivisor } from './copies-by-divisor';
import { StageBars } from './stage-bars';

/** What holds playback back, by the last run; and, where no rig is known to predict from, the levers that answer it. */
@Component({
  selector: 'hone-finding-panel',
  imports: [MatButtonModule, StageBars],
  templateUrl: './finding-panel.html',
  styleUrl: './finding-panel.scss',
})
export class FindingPanel {
  private readonly store = inject(Store);
  private readonly logs = inject(RunLogs);
  private readonly predictions = inject(Predictions);
  private readonly run = this.store.selectSignal(selectPlayedRun);
  private readonly runs = this.store.selectSignal(selectPlayedRuns);
  private readonly tuning = this.store.selectSignal(selectTuning);
  private readonly playback = inject(Playback);
  private readonly rows = this.store.selectSignal(selectCopyRows);
  private readonly estimating = this.store.selectSignal(mediaFeature.selectEstimating);

  /** Where causes are known, they offer the levers that answer them. */
  readonly causesAreKnown = computed(
    () => this.predictions.predicted() !== null && !this.predictions.isWhatIf(),
  );

  private readonly settings = this.store.selectSignal(machineFeature.selectSettings);
  /** Workers that take pictures from decoders, as the player was given them. */
  private readonly workers = computed(() => {
    const bytes = this.settings()?.memoryCeilingBytes;
    return bytes ? memoryShares(bytes, navigator.hardwareConcurrency).decodeWorkers : 1;
  });

  readonly finding = computed(() => {
    const run = this.run();
    const log = run && this.logs.all().get(run.id);
    const graph = this.playback.givenPlan()?.preview.graph;
    const beside = graph && concurrencyOf(graph, this.workers());
    return run && log ? limitingStage(log, run.summary, run.facts.rate, beside) : null;
  });
  readonly title = computed(() => {
    const finding = this.finding();
    return finding ? findingTitle(finding) : '';
  });
  /** How much of the timeline the last run played. */
  readonly share = computed(() => {
    const run = this.run();
    return run && shareText(run);
  });
  /** That there is a run, but not of the timeline as it is now. */
  readonly outdated = computed(() => {
    const outdated = this.runs().outdated;
    return outdated && outdatedText(outdated.changed);
  });
  readonly sentence = computed(() => {
    const finding = this.finding();
    const run = this.run();
    return finding && run ? findingSentence(finding, toNumber(run.facts.rate)) : null;
  });

  /** Sources that the last run shows to be too heavy, without a copy that fits. */
  readonly uncopied = computed(() => {
    const run = this.run();
    const log = run && this.logs.all().get(run.id);
    const graph = this.playback.givenPlan()?.preview.graph;
    const needy = log && graph ? overloadedSources(log, graph) : [];
    return this.rows().filter(
      ({ copy, source }) => needy.includes(source.id) && (!copy || copy.state === 'failed'),
    );
  });
  private readonly making = computed(() => this.rows().filter(({ copy }) => copy?.state === 'making'));

  readonly copyLever = computed(() => {
    const rows = this.uncopied();
    if (rows.length === 0) return null;
    const known = rows.filter(({ estimate }) => estimate !== null);
    const what = `Make copies of ${count(rows.length, 'clip', 'clips')}`;
    if (known.length < rows.length) return this.estimating() ? `${what} · measuring what they take …` : what;
    const seconds = known.reduce((sum, { estimate }) => sum + estimate!.seconds, 0);
    const size = known.reduce((sum, { estimate }) => sum + estimate!.bytes, 0);
    return `${what} · about ${wait(seconds)} · ${bytes(size)}`;
  });
  readonly helpsDecoding = computed(() => {
    const stage = this.finding()?.stage;
    return stage === 'read' || stage === 'decode';
  });
  readonly copiesAreOff = computed(
    () => this.tuning()?.lightCopies === false && this.rows().some(({ copy }) => copy?.state === 'ready'),
  );
  readonly makingText = computed(() => {
    const making = this.making().length;
    return making
      ? `${count(making, 'copy is', 'copies are')} being made; each is used as soon as it is ready.`
      : null;
  });
  readonly scaleLever = computed(() => {
    const tuning = this.tuning();
    const finding = this.finding();
    if (!tuning || !finding?.stage || finding.loadPercent[finding.stage] < FAR_FROM_FULL) return null;
    const next = ({ 1: 2, 2: 4, 4: 8, 8: 16, 16: null } as const)[tuning.playScale];
    return { next, helps: !this.helpsDecoding(), why: whyScaleDoesNotHelp(finding) };
  });
  readonly spoken = computed(() => {
    const { run } = this;
    return run() ? this.sentence() : null;
  });

  constructor() {
    effect(() => this.logs.want(this.run()));
    effect(() => {
      const missing = this.uncopied().filter(({ estimate }) => estimate === null);
      if (this.finding()?.stage && !this.causesAreKnown() && missing.length && !this.estimating())
        this.askEstimates(missing);
    });
  }

  makeCopies(): void {
    for (const [divisor, sourceIds] of copiesByDivisor(wantedOf(this.uncopied()))) {
      this.store.dispatch(CopyActions.asked({ sourceIds, divisor }));
    }
    this.useCopies();
  }

  useCopies(): void {
    const tuning = this.tuning();
    if (tuning && !tuning.lightCopies) {
      this.store.dispatch(ProjectActions.leverMoved({ tuning: { ...tuning, lightCopies: true } }));
    }
  }

  lowerScale(playScale: 2 | 4 | 8 | 16): void {
    const tuning = this.tuning();
    if (tuning) this.store.dispatch(ProjectActions.leverMoved({ tuning: { ...tuning, playScale } }));
  }

  private askEstimates(rows: readonly CopyRow[]): void {
    for (const [divisor, sourceIds] of copiesByDivisor(wantedOf(rows))) {
      this.store.dispatch(CopyActions.estimateAsked({ sourceIds, divisor }));
    }
  }
}

function whyScaleDoesNotHelp({ stage, loadPercent }: Finding): string {
  const name = stage === 'read' ? 'reading' : 'decoding';
  if (stage && loadPercent[stage] > 100) {
    return `A lower preview scale would not be enough: ${name} alone takes ${percentOf(loadPercent[stage])} of the budget.`;
  }
  const rest = loadPercent.scale + loadPercent.compose + loadPercent.show;
  return `A lower preview scale would help little: scaling, composing and showing take ${percentOf(rest)} of the budget.`;
}

const wantedOf = (rows: readonly CopyRow[]): WantedCopy[] =>
  rows.map(({ source, divisor }) => ({ sourceId: source.id, divisor }));
