import { inject, Injectable } from '@angular/core';
import { PREVIEW_SCALES } from '@hone/core/levers';
import { cutsOf } from '@hone/core/render';
import { toNumber } from '@hone/core/time';
import { Store } from '@ngrx/store';
import { Levers } from '../playback/levers';
import { Playback } from '../playback/playback';
import { Shortcuts, type Command } from '../shortcuts/shortcuts';
import { EditActions } from '../state/actions';
import { selectLength, selectPlan } from '../state/selectors';
import { TimelineEditor } from './timeline-editor';
import { TimelineRange } from './timeline-range';

/** Fields in which keys are text. */
const TYPED =
  'textarea, input:not([type="checkbox"], [type="range"], [type="radio"], [type="button"], [type="file"])';

/** The keys of the work page. */
@Injectable()
export class WorkKeys {
  private readonly store = inject(Store);
  private readonly playback = inject(Playback);
  private readonly range = inject(TimelineRange);
  private readonly editor = inject(TimelineEditor);
  private readonly shortcuts = inject(Shortcuts);
  private readonly plan = this.store.selectSignal(selectPlan);
  private readonly length = this.store.selectSignal(selectLength);
  private readonly levers = inject(Levers);

  private readonly actions: Readonly<Record<string, (event: KeyboardEvent) => void>> = {
    ' ': () => this.playback.toggle(),
    j: () => this.playback.shuttle(-1),
    k: () => this.playback.pause(),
    l: () => this.playback.shuttle(1),
    i: () => this.playback.mark('in'),
    o: () => this.playback.mark('out'),
    delete: ({ shiftKey }) => this.editor.remove(shiftKey),
    backspace: ({ shiftKey }) => this.editor.remove(shiftKey),
    escape: () => this.editor.choose([]),
    arrowleft: ({ shiftKey }) => this.playback.step(shiftKey ? -this.second() : -1),
    arrowright: ({ shiftKey }) => this.playback.step(shiftKey ? this.second() : 1),
    home: () => this.playback.seek(0),
    end: () => this.playback.seek(this.length() - 1),
    arrowup: () => this.toCut(-1),
    arrowdown: () => this.toCut(1),
  };

  /** Commands whose key the user can change. */
  private readonly commands: Readonly<Record<Command, () => void>> = {
    clearInOut: () => this.playback.mark('none'),
    split: () => this.editor.split(),
    crossfade: () => this.editor.putTransition('crossfade'),
    trimStart: () => this.editor.trim('start'),
    trimEnd: () => this.editor.trim('end'),
    disable: () => this.editor.toggle(),
    marker: () => this.editor.mark(),
    effects: () => this.store.dispatch(EditActions.effectsTurned()),
    snapping: () => this.store.dispatch(EditActions.snappingTurned()),
    copies: () => this.toggleCopies(),
    mute: () => this.playback.toggleMuted(),
    lowerScale: () => this.scale(-1),
    higherScale: () => this.scale(1),
    zoomIn: () => this.range.zoom(0.5, this.playback.playhead),
    zoomOut: () => this.range.zoom(2, this.playback.playhead),
    zoomWhole: () => this.range.whole(),
  };

  /** With Ctrl, or the command key. */
  private readonly withControl: Readonly<Record<string, (event: KeyboardEvent) => void>> = {
    c: () => this.editor.copy(),
    x: () => this.editor.cut(),
    v: ({ shiftKey }) => this.editor.paste(shiftKey ? 'insert' : 'overwrite'),
    a: ({ shiftKey }) => this.editor.chooseAll(shiftKey ? 'picture' : undefined),
    z: ({ shiftKey }) => (shiftKey ? this.editor.redo() : this.editor.undo()),
    y: () => this.editor.redo(),
  };

  private readonly withAlt: Readonly<Record<string, (event: KeyboardEvent) => void>> = {
    arrowleft: ({ shiftKey }) => this.editor.move(shiftKey ? -this.second() : -1, 0),
    arrowright: ({ shiftKey }) => this.editor.move(shiftKey ? this.second() : 1, 0),
    arrowup: () => this.editor.move(0, 1),
    arrowdown: () => this.editor.move(0, -1),
  };

  private actionOf(event: KeyboardEvent): ((event: KeyboardEvent) => void) | undefined {
    const key = event.key.toLowerCase();
    if (event.ctrlKey || event.metaKey) return event.altKey ? undefined : this.withControl[key];
    if (event.altKey) return this.withAlt[key];
    // Where plus needs Shift, the key without it does the same.
    const command =
      this.shortcuts.commandOf(key) ?? (key === '=' ? this.shortcuts.commandOf('+') : undefined);
    return command === undefined ? this.actions[key] : this.commands[command];
  }

  press(event: KeyboardEvent): void {
    const target = event.target as HTMLElement | null;
    if (event.defaultPrevented) return;
    if (target?.closest(TYPED) || target?.closest('[role="dialog"], [role="menu"], [role="listbox"]')) return;
    // A control that was clicked keeps the focus, but whoever plays by the keyboard means the page. One that was reached by
    // the keyboard is meant itself.
    const isMeant = target?.matches(':focus-visible') ?? false;
    if (isMeant && target?.closest('input, select, mat-select, [role="radiogroup"]')) return;
    const onControl = isMeant && target?.closest('button, a, summary') !== null;
    const key = event.key.toLowerCase();
    if (onControl && (key === ' ' || key === 'enter')) return;
    const action = this.actionOf(event);
    if (!action) return;
    event.preventDefault();
    action(event);
  }

  /** A lever that was set with the pointer lets the keys go: its own arrows would move it instead of the playhead. */
  release(): void {
    const active = document.activeElement;
    if (
      active instanceof HTMLElement &&
      active.closest('mat-button-toggle') &&
      !active.matches(':focus-visible')
    )
      active.blur();
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

  private toggleCopies(): void {
    this.levers.move({ lightCopies: !this.levers.tuning()?.lightCopies });
  }

  private scale(steps: 1 | -1): void {
    const tuning = this.levers.tuning();
    const playScale = tuning && PREVIEW_SCALES[PREVIEW_SCALES.indexOf(tuning.playScale) + steps];
    if (playScale) this.levers.move({ playScale });
  }
}
