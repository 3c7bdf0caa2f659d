import '@angular/compiler';
import { Injector, runInInjectionContext } from '@angular/core';
import type { Project, ProjectChange } from '@hone/core/api';
import { FIRST_TUNING } from '@hone/core/levers';
import { defaultDelivery } from '@hone/core/render';
import { emptyTimeline } from '@hone/core/timeline';
import { Actions } from '@ngrx/effects';
import { Store, type Action } from '@ngrx/store';
import { BehaviorSubject, map, Subject } from 'rxjs';
import { describe, expect, it } from 'vitest';
import { Api, ApiError } from '../api/api';
import { ProjectActions, ServerActions } from './actions';
import { projectFeature } from './project.feature';
import { ProjectEffects } from './project.effects';
import { ProjectReader } from './project-reader';

const SIZE = { width: 1920, height: 1080 };
const project: Project = {
  id: 'p',
  name: 'P',
  timeline: emptyTimeline({ num: 24, den: 1 }, SIZE),
  tuning: FIRST_TUNING,
  delivery: defaultDelivery(SIZE),
  filters: [],
  revision: 3,
  ancestors: [],
  takesFirstShape: false,
  createdAt: '',
};

/** As another window has kept it. */
const ELSEWHERE: Project = { ...project, revision: 9, timeline: { ...project.timeline, startFrame: 77 } };

/** The effects over a real reducer and a server that answers when the test says so. */
function setUp() {
  const actions = new Subject<Action>();
  const opened = ProjectActions.opened({
    project,
    sources: [],
    copies: [],
    stretches: [],
    jobs: [],
    runs: [],
    scrubs: [],
    exports: [],
  });
  const state = new BehaviorSubject(projectFeature.reducer(undefined, opened));
  const dispatch = (action: Action): void => {
    state.next(projectFeature.reducer(state.value, action));
    actions.next(action);
  };
  const sent: ProjectChange[] = [];
  const answers: { accept: () => void; refuse: (error: Error) => void }[] = [];
  const changeProject = (_id: string, change: ProjectChange): Promise<Project> => {
    sent.push(change);
    return new Promise((resolve, reject) => {
      answers.push({
        accept: () => resolve({ ...project, ...change, revision: change.revision + 1 }),
        refuse: reject,
      });
    });
  };
  const select = (selector: (state: object) => unknown) =>
    state.pipe(map((value) => selector({ project: value })));
  const injector = Injector.create({
    providers: [
      { provide: Actions, useValue: actions },
      { provide: Store, useValue: { select } },
      { provide: ProjectReader, useClass: ProjectReader, deps: [] },
      { provide: Api, useValue: { changeProject, project: () => Promise.resolve(ELSEWHERE) } },
    ],
  });
  const effects = runInInjectionContext(injector, () => new ProjectEffects());
  const done: string[] = [];
  for (const effect of [effects.save, effects.reopen])
    effect.subscribe((action) => {
      done.push(action.type);
      dispatch(action);
    });
  const edit = (startFrame: number): void =>
    dispatch(ProjectActions.timelineEdited({ timeline: { ...project.timeline, startFrame } }));
  return { sent, answers, state, edit, dispatch, done };
}

describe('saving', () => {
  it('sends the last of several quick edits, once', async () => {
    const { sent, edit } = setUp();
    for (const frame of [1, 2, 3]) edit(frame);
    await expect.poll(() => sent.length).toBe(1);
    expect(sent[0]).toMatchObject({ revision: 3, timeline: { startFrame: 3 } });
  });

  it('bases an edit that was made during a save on the revision that the save brought', async () => {
    const { sent, answers, state, edit, dispatch } = setUp();
    edit(1);
    await expect.poll(() => sent.length).toBe(1);
    edit(2);
    dispatch(ProjectActions.editUndone());
    // The second save is due, but waits for the first.
    await new Promise((resolve) => setTimeout(resolve, 400));
    expect(sent).toHaveLength(1);
    answers[0]!.accept();
    await expect.poll(() => sent.length).toBe(2);
    expect(sent[1]).toMatchObject({ revision: 4, timeline: { startFrame: 1 } });
    answers[1]!.accept();
    await expect.poll(() => state.value.keptEdits).toBe(3);
    expect(state.value.open).toMatchObject({ revision: 5, timeline: { startFrame: 1 } });
    expect(state.value.notice).toBeNull();
  });

  it('tells why an edit was not kept', async () => {
    const { answers, state, edit } = setUp();
    edit(1);
    await expect.poll(() => answers.length).toBe(1);
    answers[0]!.refuse(
      new ApiError({ type: '', title: 'Refused', status: 400, detail: 'The clip overlaps.' }),
    );
    await expect.poll(() => state.value.notice).toBe('The clip overlaps.');
    expect(state.value.open!.timeline.startFrame).toBe(1);
  });

  it('shows what another window has kept, and can put its own edit in its place', async () => {
    const { sent, answers, state, edit, dispatch } = setUp();
    edit(1);
    await expect.poll(() => answers.length).toBe(1);
    answers[0]!.refuse(new ApiError({ type: '', title: 'Changed', status: 409, detail: 'Changed.' }));
    await expect.poll(() => state.value.open!.revision).toBe(9);
    expect(state.value.open!.timeline.startFrame).toBe(77);
    expect(state.value.notice).toContain(
      'your last edit is not saved. You see the saved version. Redo restores your edit.',
    );
    dispatch(ProjectActions.editDoneAgain());
    await expect.poll(() => sent.length).toBe(2);
    expect(sent[1]).toMatchObject({ revision: 9, timeline: { startFrame: 1 } });
    dispatch(ProjectActions.editUndone());
    expect(state.value.open!.timeline.startFrame).toBe(77);
  });

  it('puts back no timeline where only the delivery was refused', async () => {
    const { answers, state, dispatch } = setUp();
    dispatch(
      ProjectActions.deliveryEdited({ delivery: { ...project.delivery, size: { width: 2, height: 2 } } }),
    );
    await expect.poll(() => answers.length).toBe(1);
    answers[0]!.refuse(new ApiError({ type: '', title: 'Changed', status: 409, detail: 'Changed.' }));
    await expect.poll(() => state.value.open!.revision).toBe(9);
    expect(state.value.future).toEqual([]);
    expect(state.value.open!.delivery).toEqual(project.delivery);
    expect(state.value.notice).toMatch(/your last change is not saved\. You see the saved version\.$/);
  });

  it('keeps what was edited while there was no connection before anything is read again', async () => {
    const { sent, answers, state, edit, dispatch, done } = setUp();
    edit(1);
    await expect.poll(() => answers.length).toBe(1);
    answers[0]!.refuse(new TypeError('No connection.'));
    await expect.poll(() => state.value.notice).not.toBeNull();
    dispatch(ServerActions.connectionFound({ again: true }));
    await expect.poll(() => sent.length).toBe(2);
    expect(sent[1]).toMatchObject({ revision: 3, timeline: { startFrame: 1 } });
    expect(done).not.toContain(ProjectActions.chosen.type);
    answers[1]!.accept();
    await expect.poll(() => done.at(-1)).toBe(ProjectActions.chosen.type);
    expect(state.value.keptEdits).toBe(1);
  });
});
