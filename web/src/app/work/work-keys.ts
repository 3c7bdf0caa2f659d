import { inject, Injectable } from '@angular/core';
import { PREVIEW_SCALES } from '@hone/core/levers';
import { cutsOf } from '@hone/core/render';
import { toNumber } from '@hone/core/time';
import { takeOffAt } from '@hone/core/timeline';
import { Store } from '@ngrx/store';
import { Playback } from '../playback/playback';
import { ProjectActions } from '../state/actions';
import { selectLength, selectPlan, selectSubject, selectTimeline, selectTuning } from '../state/selectors';
import { TimelineRange } from './timeline-range';

/** The keys of the work page. */
@Injectable()
export class WorkKeys {
  private readonly store = inject(Store);
  private readonly playback = inject(Playback);
  private readonly range = inject(TimelineRange);
  private readonly plan = this.store.selectSignal(selectPlan);
  private readonly length = this.store.selectSignal(selectLength);
  private readonly timeline = this.store.selectSignal(selectTimeline);
  private readonly subject = this.store.selectSignal(selectSubject);
  private readonly tuning = this.store.selectSignal(selectTuning);

  private readonly actions: Readonly<Record<string, (event: KeyboardEvent) => void>> = {
    ' ': () => this.playback.toggle(),
    j: () => this.playback.shuttle(-1),
    k: () => this.playback.pause(),
    l: () => this.playback.shuttle(1),
    i: () => this.playback.mark('in'),
    o: () => this.playback.mark('out'),
    u: () => this.playback.mark('none'),
    delete: () => this.takeOff(),
    z: () => this.store.dispatch(ProjectActions.editTakenBack()),
    c: () => this.toggleCopies(),
    '[': () => this.scale(-1),
    ']': () => this.scale(1),
    '+': () => this.range.zoom(0.5, this.playback.playhead),
    '=': () => this.range.zoom(0.5, this.playback.playhead),
    '-': () => this.range.zoom(2, this.playback.playhead),
    '0': () => this.range.whole(),
    arrowleft: ({ shiftKey }) => this.playback.step(shiftKey ? -this.second() : -1),
    arrowright: ({ shiftKey }) => this.playback.step(shiftKey ? this.second() : 1),
    home: () => this.playback.seek(0),
    end: () => this.playback.seek(this.length() - 1),
    arrowup: () => this.toCut(-1),
    arrowdown: () => this.toCut(1),
  };

  press(event: KeyboardEvent): void {
    const target = event.target as HTMLElement | null;
    if (event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented) return;
    if (
      target?.closest(
        'input, textarea, select, mat-select, [role="dialog"], [role="menu"], [role="listbox"], [role="radiogroup"]',
      )
    )
      return;
    const onControl = target?.closest('button, a, summary') !== null && target !== null;
    const key = event.key.toLowerCase();
    if (onControl && (key === ' ' || key === 'enter')) return;
    const action = this.actions[key];
    if (!action) return;
    event.preventDefault();
    action(event);
  }

  private second(): number {
    return Math.round(toNumber(this.plan()?.preview.graph.rate ?? { num: 24, den: 1 }));
  }

  private toCut(direction: 1 | -1): void {
    const plan = this.plan();
    if (!plan) return;
    const { here } = this.playback;
    const cuts = [0, ...cutsOf(plan.preview.graph), this.length() - 1];
    const next = direction > 0 ? cuts.find((cut) => cut > here) : cuts.filter((cut) => cut < here).at(-1);
    if (next !== undefined) this.playback.seek(next);
  }

  private takeOff(): void {
    const timeline = this.timeline();
    // A source that is played alone has no timeline to edit.
    if (!timeline || this.subject()) return;
    const edited = takeOffAt(timeline, this.playback.here);
    if (edited !== timeline) this.store.dispatch(ProjectActions.timelineEdited({ timeline: edited }));
  }

  private toggleCopies(): void {
    const tuning = this.tuning();
    if (tuning)
      this.store.dispatch(
        ProjectActions.leverMoved({ tuning: { ...tuning, lightCopies: !tuning.lightCopies } }),
      );
  }

  private scale(steps: 1 | -1): void {
    const tuning = this.tuning();
    if (!tuning) return;
    const playScale = PREVIEW_SCALES[PREVIEW_SCALES.indexOf(tuning.playScale) + steps];
    if (playScale) this.store.dispatch(ProjectActions.leverMoved({ tuning: { ...tuning, playScale } }));
  }
}
