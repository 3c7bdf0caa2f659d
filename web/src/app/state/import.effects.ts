import { inject, Injectable } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { Store, type Action } from '@ngrx/store';
import {
  catchError,
  concat,
  concatMap,
  EMPTY,
  from,
  mergeMap,
  Observable,
  of,
  take,
  withLatestFrom,
} from 'rxjs';
import { hashSampleOffsets, HASH_SAMPLE_BYTES } from '@hone/core/media';
import type { DroppedFile, DroppedReply, Project, Source } from '@hone/core/api';
import { timelineLength } from '@hone/core/timeline';
import { Api, sentenceOf } from '../api/api';
import { count } from '../formatting/quantities';
import { ImportActions, ProjectActions, ServerActions } from './actions';
import { mediaFeature } from './media.feature';
import { placing } from './placing';
import { failed } from './project.effects';
import { ProjectReader } from './project-reader';
import { selectProject } from './selectors';

/** Files that one request names. */
const LINKED_AT_ONCE = 200;

/** Brings footage into the project: links it where it lies, uploads what is found nowhere, puts it on the timeline. */
@Injectable()
export class ImportEffects {
  private readonly actions = inject(Actions);
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly reader = inject(ProjectReader);

  readonly choose = createEffect(() =>
    this.actions.pipe(
      ofType(ImportActions.filesChosen),
      concatMap(({ fileIds, name, isPlaced }) =>
        this.inProject(name, (project) =>
          from(this.api.addSources(project.id, fileIds)).pipe(
            mergeMap((sources) => added(sources, isPlaced)),
          ),
        ),
      ),
    ),
  );

  readonly link = createEffect(() =>
    this.actions.pipe(
      ofType(ImportActions.filesDropped),
      concatMap(({ files, folder }) =>
        this.inProject(folder ?? projectName(files), (project) =>
          from(this.linked(project, files)).pipe(mergeMap((actions) => actions)),
        ),
      ),
    ),
  );

  readonly upload = createEffect(() =>
    this.actions.pipe(
      ofType(ImportActions.uploadAsked),
      concatMap(({ files }) =>
        this.inProject(projectName(files), (project) =>
          concat(
            ...files.map((file) => this.uploadOne(project.id, file, timelineLength(project.timeline) === 0)),
          ),
        ),
      ),
    ),
  );

  /** Places sources once none of them waits to be read any more. */
  readonly place = createEffect(() =>
    this.actions.pipe(
      ofType(
        ImportActions.placementAsked,
        ImportActions.sourcesAdded,
        ServerActions.sourceChanged,
        ServerActions.sourceGone,
        ProjectActions.opened,
      ),
      withLatestFrom(
        this.store.select(mediaFeature.selectToPlace),
        this.store.select(mediaFeature.selectSourcesById),
        this.store.select(selectProject),
      ),
      mergeMap(([, ids, byId, project]) => {
        if (ids.length === 0 || !project) return EMPTY;
        const sources = ids.flatMap((id) => byId[id] ?? []);
        if (sources.some(({ state }) => state === 'expected' || state === 'growing')) return EMPTY;
        const ready = sources.filter(({ state }) => state === 'ready');
        const ended = ImportActions.placementEnded();
        if (ready.length === 0) return of(ended);
        try {
          return [ended, ...placing(project, ready)];
        } catch (error) {
          return [ended, ProjectActions.failed({ message: sentenceOf(error) })];
        }
      }),
    ),
  );

  /** Works in the open project; without one, in a new one. */
  private inProject(name: string, work: (project: Project) => Observable<Action>): Observable<Action> {
    return this.store.select(selectProject).pipe(
      take(1),
      concatMap((open) =>
        open
          ? work(open)
          : from(this.api.createProject({ name })).pipe(
              concatMap(({ id }) => from(this.reader.read(id))),
              concatMap((opened) => concat(of(opened), work(opened.project), of(ProjectActions.listAsked()))),
            ),
      ),
      catchError(failed),
    );
  }

  private async linked(project: Project, files: readonly File[]): Promise<Action[]> {
    const replies: DroppedReply[] = [];
    for (let at = 0; at < files.length; at += LINKED_AT_ONCE) {
      const described = await Promise.all(files.slice(at, at + LINKED_AT_ONCE).map(describe));
      replies.push(...(await this.api.linkDropped(project.id, described)));
    }
    const sources = replies.flatMap(({ source }) => source ?? []);
    const missing = files.filter((_, index) => !replies[index]!.source && replies[index]!.problem === null);
    const problems = replies.flatMap(({ name, problem }) =>
      problem === null ? [] : [`${name}: ${problem}`],
    );
    const isPlaced = timelineLength(project.timeline) === 0;
    return [
      ...added(sources, isPlaced),
      ...(missing.length || problems.length ? [ImportActions.filesNotLinked({ missing, problems })] : []),
      ...(sources.length
        ? [
            ProjectActions.told({
              message: `${count(sources.length, 'file was', 'files were')} found and linked. Nothing was copied.`,
            }),
          ]
        : []),
    ];
  }

  private uploadOne(projectId: string, file: File, isPlaced: boolean): Observable<Action> {
    return new Observable<Action>((observer) => {
      const tell = (share: number): void =>
        observer.next(ImportActions.uploadProgressed({ name: file.name, share }));
      tell(0);
      this.api
        .upload(projectId, file, tell)
        .then((source) => added([source], isPlaced).forEach((action) => observer.next(action)))
        .catch((error: unknown) => observer.next(ProjectActions.failed({ message: sentenceOf(error) })))
        .finally(() => {
          tell(1);
          observer.complete();
        });
    });
  }
}

const added = (sources: Source[], isPlaced: boolean): Action[] => [
  ...(sources.length ? [ImportActions.sourcesAdded({ sources })] : []),
  ...(sources.length && isPlaced
    ? [ImportActions.placementAsked({ sourceIds: sources.map(({ id }) => id) })]
    : []),
];

/** The name of the first file without its ending. */
const projectName = ([first]: readonly File[]): string =>
  (first?.name.replace(/\.[^.]+$/, '') ?? '').trim().slice(0, 200) || 'New project';

async function describe(file: File): Promise<DroppedFile> {
  const { name, size: bytes } = file;
  const samples = hashSampleOffsets(bytes).map((at) => file.slice(at, at + HASH_SAMPLE_BYTES));
  const text = await new Blob([String(bytes), ...samples]).arrayBuffer();
  const digest = new Uint8Array(await crypto.subtle.digest('SHA-256', text));
  const sampledHash = [...digest].map((byte) => byte.toString(16).padStart(2, '0')).join('');
  return { name, bytes, sampledHash };
}
