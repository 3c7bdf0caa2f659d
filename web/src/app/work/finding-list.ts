import { Component, computed, effect, inject, untracked } from '@angular/core';
import { NgTemplateOutlet } from '@angular/common';
import { MatButtonModule } from '@angular/material/button';
import { MatExpansionModule } from '@angular/material/expansion';
import { Store } from '@ngrx/store';
import { aimOf, type Finding } from '@hone/core/findings';
import { formatTimecode, timecodeOf, toNumber } from '@hone/core/time';
import { Playback } from '../playback/playback';
import { Predictions } from '../prediction/predictions';
import { CopyActions } from '../state/actions';
import { mediaFeature } from '../state/media.feature';
import { selectTimeline } from '../state/selectors';
import { findingSentence, nextShoot } from '../formatting/finding-words';
import { STAGE_NAMES } from '../formatting/stage-words';
import { RecommendationList } from './recommendation-list';
import { StageBars } from './stage-bars';
import { count, percentOf } from '../formatting/quantities';

/** Ranges that a finding names; more would not be read. */
const MOST_RANGES = 4;

/** Findings about the timeline, the main one unfolded, with the levers that answer them. */
@Component({
  selector: 'hone-finding-list',
  imports: [NgTemplateOutlet, RecommendationList, MatButtonModule, MatExpansionModule, StageBars],
  templateUrl: './finding-list.html',
  styleUrl: './finding-list.scss',
})
export class FindingList {
  private readonly store = inject(Store);
  private readonly predictions = inject(Predictions);
  private readonly playback = inject(Playback);
  private readonly timeline = this.store.selectSignal(selectTimeline);
  private readonly estimating = this.store.selectSignal(mediaFeature.selectEstimating);
  /** Estimates requested already; a failed one is not requested again. */
  private readonly asked = new Set<string>();
  private readonly estimates = this.store.selectSignal(mediaFeature.selectEstimates);
  readonly isWhatIf = this.predictions.isWhatIf;
  readonly problem = this.predictions.problem;
  readonly loadsNote = 'line: 100 % of the frame budget';
  /** That of the most dropped frames first. */
  private readonly findings = computed(() => {
    const timeline = this.timeline();
    const predicted = this.predictions.predicted();
    if (!timeline || !predicted) return [];
    const format = timecodeOf(timeline);
    const at = (frame: number): string => formatTimecode(timeline.startFrame + frame, format);
    const shape = { size: timeline.size, framesPerSecond: toNumber(timeline.rate) };
    const recommendations = this.predictions.recommendations();
    return predicted.findings.map((finding, index) => ({
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

  readonly main = computed(() => this.findings()[0]);
  readonly others = computed(() => this.findings().slice(1));

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
