import { inject, Injectable } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { Store, type Action } from '@ngrx/store';
import {
  catchError,
  concatMap,
  debounceTime,
  EMPTY,
  exhaustMap,
  filter,
  from,
  map,
  mergeMap,
  Observable,
  of,
  switchMap,
  take,
  tap,
  withLatestFrom,
} from 'rxjs';
import type { Project, ProjectChange } from '@hone/core/api';
import type { Timeline } from '@hone/core/timeline';
import { Api, ApiError, sentenceOf } from '../api/api';
import { ProjectActions, ServerActions } from './actions';
import { projectFeature } from './project.feature';
import { ProjectReader } from './project-reader';
import { selectProject } from './selectors';

export const LAST_PROJECT = 'hone.lastProject';
const SAVE_AFTER_MS = 250;

export const failed = (error: unknown): Observable<ReturnType<typeof ProjectActions.failed>> =>
  of(ProjectActions.failed({ message: sentenceOf(error) }));

const changeOf = ({ revision, timeline, delivery }: Project): ProjectChange => ({
  revision,
  timeline,
  delivery,
});

/** Opens projects and saves edits. */
@Injectable()
export class ProjectEffects {
  private readonly actions = inject(Actions);
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly reader = inject(ProjectReader);
  /** The revision under which each timeline of this visit was kept. */
  private readonly revisions = new WeakMap<Timeline, number>();

  readonly list = createEffect(() =>
    this.actions.pipe(
      ofType(ProjectActions.pageOpened, ProjectActions.listAsked),
      exhaustMap(() =>
        from(this.api.projects()).pipe(
          map((projects) => ProjectActions.projectsListed({ projects })),
          catchError(failed),
        ),
      ),
    ),
  );

  readonly openLast = createEffect(() =>
    this.actions.pipe(
      ofType(ProjectActions.projectsListed),
      withLatestFrom(this.store.select(selectProject)),
      // Once, when the page opens: whoever deletes the open project chooses the next one.
      take(1),
      filter(([{ projects }, open]) => !open && projects.length > 0),
      map(([{ projects }]) => {
        const last = localStorage.getItem(LAST_PROJECT);
        const chosen = projects.find(({ id }) => id === last) ?? projects[0]!;
        return ProjectActions.chosen({ projectId: chosen.id });
      }),
    ),
  );

  readonly create = createEffect(() =>
    this.actions.pipe(
      ofType(ProjectActions.asked),
      concatMap(({ project }) =>
        from(this.api.createProject(project)).pipe(
          mergeMap(({ id }) => [ProjectActions.listAsked(), ProjectActions.chosen({ projectId: id })]),
          catchError(failed),
        ),
      ),
    ),
  );

  readonly rename = createEffect(() =>
    this.actions.pipe(
      ofType(ProjectActions.renamingAsked),
      concatMap(({ projectId, name }) =>
        from(this.api.renameProject(projectId, name)).pipe(
          map((project) => ServerActions.projectChanged({ project })),
          catchError(failed),
        ),
      ),
    ),
  );

  readonly remove = createEffect(() =>
    this.actions.pipe(
      ofType(ProjectActions.deletionAsked),
      concatMap(({ projectId }) =>
        from(this.api.deleteProject(projectId)).pipe(
          mergeMap(() => [ProjectActions.gone({ projectId }), ProjectActions.listAsked()]),
          catchError(failed),
        ),
      ),
    ),
  );

  /** Undoes edits of earlier visits, which the server keeps. */
  readonly undoEarlier = createEffect(() =>
    this.actions.pipe(
      ofType(ProjectActions.earlierAsked),
      withLatestFrom(this.store.select(projectFeature.selectProjectState)),
      exhaustMap(([, { open, past }]) => {
        const revision = open?.ancestors[0];
        if (!open || revision === undefined || past.length > 0) return EMPTY;
        return from(this.api.timelineAt(open.id, revision)).pipe(
          map((timeline) => {
            this.revisions.set(timeline, revision);
            return ProjectActions.ancestorOpened({ revision, timeline });
          }),
          catchError(failed),
        );
      }),
    ),
  );

  readonly open = createEffect(() =>
    this.actions.pipe(
      ofType(ProjectActions.chosen),
      switchMap(({ projectId }) => from(this.reader.read(projectId)).pipe(catchError(failed))),
    ),
  );

  readonly remember = createEffect(
    () =>
      this.actions.pipe(
        ofType(ProjectActions.opened),
        tap(({ project }) => {
          localStorage.setItem(LAST_PROJECT, project.id);
          this.revisions.set(project.timeline, project.revision);
        }),
      ),
    { dispatch: false },
  );

  readonly duplicate = createEffect(() =>
    this.actions.pipe(
      ofType(ProjectActions.duplicationAsked),
      concatMap(({ projectId }) =>
        from(this.api.duplicateProject(projectId)).pipe(
          map(() => ProjectActions.listAsked()),
          catchError(failed),
        ),
      ),
    ),
  );

  /** After an interruption, saves unsaved edits, then loads everything again. */
  readonly reopen = createEffect(() =>
    this.actions.pipe(
      ofType(ServerActions.connectionFound),
      filter(({ again }) => again),
      withLatestFrom(this.store.select(projectFeature.selectProjectState)),
      mergeMap(([, { open, past, edits, keptEdits }]) => {
        if (!open) return of(ProjectActions.pageOpened());
        const chosen = ProjectActions.chosen({ projectId: open.id });
        if (edits === keptEdits) return of(chosen);
        const isKept = ({ type }: Action): boolean => type === ProjectActions.kept.type;
        return this.keep(open, past, edits).pipe(
          mergeMap((said) => (isKept(said) ? [said, chosen] : [said])),
        );
      }),
    ),
  );

  readonly save = createEffect(() =>
    this.actions.pipe(
      ofType(
        ProjectActions.timelineEdited,
        ProjectActions.editUndone,
        ProjectActions.ancestorOpened,
        ProjectActions.editDoneAgain,
        ProjectActions.deliveryEdited,
      ),
      debounceTime(SAVE_AFTER_MS),
      // Looked up only when the save before has ended, so that it is based on that one's revision.
      concatMap(() =>
        of(null).pipe(
          withLatestFrom(this.store.select(projectFeature.selectProjectState)),
          mergeMap(([, { open, past, edits }]) => (open ? this.keep(open, past, edits) : EMPTY)),
        ),
      ),
    ),
  );

  readonly tune = createEffect(() =>
    this.actions.pipe(
      ofType(ProjectActions.leverMoved),
      withLatestFrom(this.store.select(selectProject)),
      switchMap(([{ tuning }, project]) =>
        project ? from(this.api.tune(project.id, tuning)).pipe(catchError(failed)) : EMPTY,
      ),
      filter((result): result is ReturnType<typeof ProjectActions.failed> => 'type' in result),
    ),
  );

  readonly cancelJob = createEffect(() =>
    this.actions.pipe(
      ofType(ProjectActions.jobCancelled),
      mergeMap(({ jobId }) =>
        from(this.api.cancelJob(jobId)).pipe(
          map((job) => ServerActions.jobChanged({ job })),
          catchError(failed),
        ),
      ),
    ),
  );

  private keep(project: Project, past: readonly Timeline[], edits: number): Observable<Action> {
    const change = { ...changeOf(project), parent: this.parentOf(project, past) };
    return from(this.api.changeProject(project.id, change)).pipe(
      map((kept) => {
        this.revisions.set(project.timeline, kept.revision);
        return ProjectActions.kept({ project: kept, edits });
      }),
      catchError((error: unknown) => this.refused(error, project)),
    );
  }

  // Where undo leads from here: to the last timeline of this visit that was kept, else to where it began.
  private parentOf({ ancestors }: Project, past: readonly Timeline[]): number | null {
    for (let at = past.length - 1; at >= 0; at--) {
      const revision = this.revisions.get(past[at]!);
      if (revision !== undefined) return revision;
    }
    return ancestors[0] ?? null;
  }

  // What another window kept is shown again, so that nothing is edited that cannot be kept.
  private refused(error: unknown, { id }: Project): Observable<Action> {
    if (!(error instanceof ApiError) || error.problem.status !== 409) return failed(error);
    return from(this.api.project(id)).pipe(
      map((project) => ProjectActions.refused({ project })),
      catchError(failed),
    );
  }
}
