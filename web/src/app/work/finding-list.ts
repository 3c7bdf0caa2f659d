import { Component, computed, effect, inject, untracked } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { aimOf, type Finding } from '@hone/core/findings';
import { isRealTime } from '@hone/core/playback';
import { SIMULATED_RIGS } from '@hone/core/machine';
import { formatTimecode, timecodeOf, toNumber } from '@hone/core/time';
import { Playback } from '../playback/playback';
import { Predictions } from '../prediction/predictions';
import { CopyActions, RigActions } from '../state/actions';
import { mediaFeature } from '../state/features';
import { machineFeature } from '../state/machine.feature';
import { selectCopies, selectTimeline } from '../state/selectors';
import { findingSentence, nextShoot } from '../formatting/finding-words';
import { STAGE_NAMES } from '../formatting/stage-words';
import { RecommendationList } from './recommendation-list';
import { StageBars } from './stage-bars';
import { count, framesPerSecond, percentOf, rounded } from '../formatting/quantities';

/** Ranges that a finding names; more would not be read. */
const MOST_RANGES = 4;

/** Predicted playback of the timeline, its findings, and the levers that answer them. */
@Component({
  selector: 'hone-finding-list',
  imports: [RecommendationList, MatButtonModule, RouterLink, StageBars],
  templateUrl: './finding-list.html',
  styleUrl: './finding-list.scss',
})
export class FindingList {
  private readonly store = inject(Store);
  private readonly predictions = inject(Predictions);
  private readonly playback = inject(Playback);
  private readonly timeline = this.store.selectSignal(selectTimeline);
  private readonly machine = this.store.selectSignal(machineFeature.selectMachineState);
  private readonly estimating = this.store.selectSignal(mediaFeature.selectEstimating);
  /** Estimates requested already; a failed one is not requested again. */
  private readonly asked = new Set<string>();
  private readonly estimates = this.store.selectSignal(mediaFeature.selectEstimates);
  readonly predicted = this.predictions.predicted;
  readonly isPending = this.predictions.isPending;
  readonly isWhatIf = this.predictions.isWhatIf;
  readonly problem = this.predictions.problem;
  readonly rigs = computed(() => [...this.machine().loaded, ...SIMULATED_RIGS]);
  readonly whatIfRigId = computed(() => this.machine().whatIfRigId ?? '');
  /** Whether the machine was not measured, so that figures of a similar one are used. */
  readonly isRough = this.predictions.isRough;
  private readonly copies = this.store.selectSignal(selectCopies);

  readonly title = computed(() => {
    const { summary } = this.predicted()!;
    const where = this.isWhatIf() ? ' there' : '';
    return isRealTime(summary) ? `Predicted to play${where}` : `Predicted to drop frames${where}`;
  });
  readonly sentence = computed(() => {
    const { summary, framesPerSecond: spread, rate, coreUse } = this.predicted()!;
    const wanted = toNumber(rate);
    const isSure = spread.high - spread.low < 0.03 * wanted;
    const range = isSure ? '' : ` (${rounded(spread.low)} to ${rounded(spread.high)})`;
    return `Predicted: ${rounded(summary.framesPerSecondShown)} of ${framesPerSecond(wanted)}${range}; ${count(summary.dropped, 'frame', 'frames')} of ${summary.wanted} dropped, cores ${percentOf(100 * coreUse)} busy.`;
  });
  readonly unmeasured = computed(() => {
    const what = this.predicted()!.unmeasured;
    return what.length ? `Estimated, not measured on this machine: ${what.join(', ')}.` : null;
  });
  /** Copies in progress will change the prediction. */
  readonly making = computed(() => {
    const making = this.copies().filter(({ state }) => state === 'making').length;
    return making
      ? `${count(making, 'copy is', 'copies are')} being made; each is used as soon as it is ready.`
      : null;
  });
  readonly loadsNote = 'work of each stage there; the line is 100 % of the frame budget';
  readonly findings = computed(() => {
    const timeline = this.timeline();
    if (!timeline) return [];
    const format = timecodeOf(timeline);
    const at = (frame: number): string => formatTimecode(timeline.startFrame + frame, format);
    const shape = { size: timeline.size, framesPerSecond: toNumber(timeline.rate) };
    const recommendations = this.predictions.recommendations();
    return this.predicted()!.findings.map((finding, index) => ({
      recommendations: recommendations?.[index] ?? null,
      kind: finding.kind,
      stage: finding.stage,
      loads: finding.loadPercent,
      isAnswered: aimOf(finding) !== null,
      sentence: findingSentence(finding),
      evidence: evidenceOf(finding),
      nextShoot: nextShoot(finding, shape),
      ranges: finding.ranges
        .slice(0, MOST_RANGES)
        .map(({ from, to }) => ({ from, text: `${at(from)} to ${at(to)}` })),
    }));
  });

  constructor() {
    // What copies take is measured once they are worth offering, and nothing plays or is measured.
    effect(() => {
      const wanted = (this.predictions.recommendations() ?? [])
        .flat()
        .flatMap(({ change, helps }) => (helps && change.lever === 'make copies' ? change.copies : []));
      const unknown = wanted.filter(
        ({ sourceId, divisor }) =>
          !this.estimates().some((each) => each.sourceId === sourceId && each.divisor === divisor),
      );
      if (this.isWhatIf() || unknown.length === 0 || this.estimating()) return;
      const group = unknown.filter(({ divisor }) => divisor === unknown[0]!.divisor);
      const key = JSON.stringify(group);
      if (this.asked.has(key)) return;
      this.asked.add(key);
      const sourceIds = group.map(({ sourceId }) => sourceId);
      untracked(() =>
        this.store.dispatch(CopyActions.estimateAsked({ sourceIds, divisor: group[0]!.divisor })),
      );
    });
  }

  putUnder(event: Event): void {
    const { value } = event.target as HTMLSelectElement;
    this.store.dispatch(RigActions.rigPutUnder({ rigId: value || null }));
  }

  goTo(frame: number, { detail, currentTarget }: MouseEvent): void {
    this.playback.seek(frame);
    // After a click of the pointer the space bar is to play, and not to go there again.
    if (detail > 0) (currentTarget as HTMLElement).blur();
  }
}

function evidenceOf(finding: Finding): string {
  const { stage, dropped, measuredDrops, predictedDrops } = finding;
  const predicted = `${count(predictedDrops, 'frame', 'frames')} predicted to be dropped`;
  const measured =
    measuredDrops === null ? '' : `${count(measuredDrops, 'frame', 'frames')} dropped in the run`;
  const drops = dropped > 0 ? [measured, predicted].filter(Boolean).join(', ') : '';
  const shows = stage ? `shows in the stage ${STAGE_NAMES[stage].toLowerCase()}` : '';
  const cores =
    'corePercent' in finding.evidence ? `cores ${percentOf(finding.evidence.corePercent)} busy` : '';
  return (
    [drops, shows, cores].filter(Boolean).join('; ') ||
    'Known of the machine and the timeline, without playing.'
  );
}
