import { Component, computed, effect, inject, untracked } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { aimOf, type Cause } from '@hone/core/findings';
import { isRealTime } from '@hone/core/playback';
import { SIMULATED_RIGS } from '@hone/core/rig';
import { formatTimecode, timecodeOf, toNumber } from '@hone/core/time';
import { Playback } from '../playback/playback';
import { Predictions } from '../prediction/predictions';
import { CopyActions, RigActions } from '../state/actions';
import { mediaFeature } from '../state/features';
import { machineFeature } from '../state/machine.feature';
import { selectTimeline } from '../state/selectors';
import { causeSentence, nextShoot } from '../formatting/cause-words';
import { STAGE_NAMES } from '../formatting/finding-words';
import { CauseLevers } from './cause-levers';
import { StageBars } from './stage-bars';
import { count, framesPerSecond, percentOf, rounded } from '../formatting/quantities';

/** Stretches that a cause names; more would not be read. */
const MOST_SPANS = 4;

/** What is predicted of the timeline before it is played, why, and which levers answer that. */
@Component({
  selector: 'hone-cause-list',
  imports: [CauseLevers, MatButtonModule, RouterLink, StageBars],
  templateUrl: './cause-list.html',
  styleUrl: './cause-list.scss',
})
export class CauseList {
  private readonly store = inject(Store);
  private readonly predictions = inject(Predictions);
  private readonly playback = inject(Playback);
  private readonly timeline = this.store.selectSignal(selectTimeline);
  private readonly machine = this.store.selectSignal(machineFeature.selectMachineState);
  private readonly estimating = this.store.selectSignal(mediaFeature.selectEstimating);
  /** What was asked for already; it is not asked for again when it fails. */
  private readonly asked = new Set<string>();
  private readonly estimates = this.store.selectSignal(mediaFeature.selectEstimates);
  readonly predicted = this.predictions.predicted;
  readonly isWhatIf = this.predictions.isWhatIf;
  readonly problem = this.predictions.problem;
  readonly rigs = computed(() => [...this.machine().loaded, ...SIMULATED_RIGS]);
  readonly underId = computed(() => this.machine().underId ?? '');
  readonly needsRig = computed(() => this.machine().known && !this.machine().own && this.timeline() !== null);

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
  readonly causes = computed(() => {
    const timeline = this.timeline();
    if (!timeline) return [];
    const format = timecodeOf(timeline);
    const at = (frame: number): string => formatTimecode(timeline.startFrame + frame, format);
    const shape = { size: timeline.size, framesPerSecond: toNumber(timeline.rate) };
    const offers = this.predictions.offers();
    return this.predicted()!.causes.map((cause, index) => ({
      offers: offers?.[index] ?? null,
      kind: cause.kind,
      stage: cause.stage,
      loads: cause.loads,
      loadsNote: `${cause.loads?.areMeasured ? 'measured' : 'predicted'} there; the line is 100 % of the frame budget`,
      isAnswered: aimOf(cause) !== null,
      sentence: causeSentence(cause),
      evidence: evidenceOf(cause),
      nextShoot: nextShoot(cause, shape),
      spans: cause.spans
        .slice(0, MOST_SPANS)
        .map(({ from, to }) => ({ from, text: `${at(from)} to ${at(to)}` })),
    }));
  });
  constructor() {
    // What copies take is measured once they are worth offering, and nothing plays or is measured.
    effect(() => {
      const wanted = (this.predictions.offers() ?? [])
        .flat()
        .flatMap(({ move, helps }) => (helps && move.lever === 'make copies' ? move.copies : []));
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

function evidenceOf({ stage, predictedDrops, measuredDrops, numbers }: Cause): string {
  const drops =
    predictedDrops + (measuredDrops ?? 0) > 0
      ? `${count(predictedDrops, 'frame', 'frames')} predicted to be dropped${measuredDrops === null ? '' : `, ${measuredDrops} were`}`
      : '';
  const shows = stage ? `shows in the stage ${STAGE_NAMES[stage].toLowerCase()}` : '';
  const cores = numbers['corePercent'] === undefined ? '' : `cores ${percentOf(numbers['corePercent'])} busy`;
  return (
    [drops, shows, cores].filter(Boolean).join('; ') ||
    'Known of the machine and the timeline, without playing.'
  );
}
