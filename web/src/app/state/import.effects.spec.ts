import '@angular/compiler';
import { createHash } from 'node:crypto';
import { Injector, runInInjectionContext } from '@angular/core';
import type { DroppedFile, DroppedReply, Project, Source } from '@hone/core/api';
import { FIRST_TUNING } from '@hone/core/levers';
import { defaultDelivery } from '@hone/core/render';
import { readySource, sourceFacts } from '@hone/core/testing';
import { rational } from '@hone/core/time';
import { emptyTimeline, timelineLength } from '@hone/core/timeline';
import { Actions } from '@ngrx/effects';
import { Store, type Action } from '@ngrx/store';
import { BehaviorSubject, map, Subject } from 'rxjs';
import { describe, expect, it } from 'vitest';
import { Api } from '../api/api';
import { ImportActions, ProjectActions, ServerActions } from './actions';
import { mediaFeature } from './media.feature';
import { projectFeature } from './project.feature';
import { ImportEffects } from './import.effects';
import { ProjectReader } from './project-reader';

const SIZE = { width: 1920, height: 1080 };
const project: Project = {
  ...{ id: 'p', name: 'P', timeline: emptyTimeline(rational(24), SIZE), tuning: FIRST_TUNING },
  ...{ delivery: defaultDelivery(SIZE), filters: [], revision: 0, ancestors: [], takesFirstShape: true },
  createdAt: '',
};
const ready = (id: string): Source => ({
  ...readySource(id, sourceFacts({ size: { width: 640, height: 360 }, rate: rational(25) })),
  projectId: 'p',
});
const expected = (id: string): Source => ({ ...ready(id), state: 'expected', facts: null });

/** The effects over real reducers and a server that links what the test names. */
function setUp(isOpen: boolean, linked: readonly string[] = []) {
  const actions = new Subject<Action>();
  const empty = { sources: [], copies: [], stretches: [], jobs: [], runs: [], scrubs: [], exports: [] };
  const opened = ProjectActions.opened({ project, ...empty });
  const state = new BehaviorSubject({
    project: projectFeature.reducer(undefined, isOpen ? opened : ProjectActions.listAsked()),
    media: mediaFeature.reducer(undefined, isOpen ? opened : ProjectActions.listAsked()),
  });
  const seen: Action[] = [];
  const dispatch = (action: Action): void => {
    seen.push(action);
    const { project: before, media } = state.value;
    state.next({
      project: projectFeature.reducer(before, action),
      media: mediaFeature.reducer(media, action),
    });
    actions.next(action);
  };
  const created: string[] = [];
  const asked: DroppedFile[] = [];
  const api = {
    createProject: ({ name }: { name: string }) => {
      created.push(name);
      return Promise.resolve(project);
    },
    addSources: (_id: string, ids: readonly string[]) => Promise.resolve(ids.map(expected)),
    linkDropped: (_id: string, files: readonly DroppedFile[]): Promise<DroppedReply[]> => {
      asked.push(...files);
      const problemOf = (name: string) => (name.endsWith('.txt') ? 'It holds no media.' : null);
      return Promise.resolve(
        files.map(({ name }) => ({
          name,
          source: linked.includes(name) ? expected(name) : null,
          problem: problemOf(name),
        })),
      );
    },
  };
  const injector = Injector.create({
    providers: [
      { provide: Actions, useValue: actions },
      { provide: Store, useValue: { select: (of: (all: object) => unknown) => state.pipe(map(of)) } },
      { provide: Api, useValue: api },
      { provide: ProjectReader, useValue: { read: () => Promise.resolve(opened) } },
    ],
  });
  const effects = runInInjectionContext(injector, () => new ImportEffects());
  for (const effect of [effects.choose, effects.link, effects.place]) effect.subscribe(dispatch);
  const timeline = () => state.value.project.open?.timeline;
  return { dispatch, seen, created, asked, timeline };
}

const clipsOf = (timeline: Project['timeline'] | undefined): string[] =>
  timeline?.tracks[0]!.clips.map(({ sourceId }) => sourceId) ?? [];

describe('footage on its way into a project', () => {
  it('makes a project where there is none, named after the folder', async () => {
    const { dispatch, created, seen } = setUp(false, ['a']);
    dispatch(ImportActions.filesDropped({ files: [new File(['x'], 'a')], folder: 'Day 1' }));
    await expect.poll(() => seen.some(({ type }) => type === ImportActions.sourcesAdded.type)).toBe(true);
    expect(created).toEqual(['Day 1']);
  });

  it('goes on an empty timeline in its order once all of it is read, and gives it its shape', async () => {
    const { dispatch, timeline, seen } = setUp(true);
    dispatch(ImportActions.filesChosen({ fileIds: ['a', 'b'], name: 'n', isPlaced: true }));
    await expect.poll(() => seen.some(({ type }) => type === ImportActions.placementAsked.type)).toBe(true);
    dispatch(ServerActions.sourceChanged({ source: ready('b') }));
    expect(timelineLength(timeline()!)).toBe(0);
    dispatch(ServerActions.sourceChanged({ source: ready('a') }));
    expect(clipsOf(timeline())).toEqual(['a', 'b']);
    expect(timeline()).toMatchObject({ size: { width: 640, height: 360 }, rate: rational(25) });
    // A file that cannot be read holds nothing up, and later footage does not change the shape.
    dispatch(ImportActions.filesChosen({ fileIds: ['c', 'd'], name: 'n', isPlaced: true }));
    await expect
      .poll(() => seen.filter(({ type }) => type === ImportActions.placementAsked.type))
      .toHaveLength(2);
    const wide = readySource('d', sourceFacts({ size: { width: 3840, height: 2160 }, rate: rational(25) }));
    dispatch(ServerActions.sourceChanged({ source: { ...expected('c'), state: 'unreadable' } }));
    dispatch(ServerActions.sourceChanged({ source: { ...wide, projectId: 'p' } }));
    expect(clipsOf(timeline())).toEqual(['a', 'b', 'd']);
    expect(timeline()!.size).toEqual({ width: 640, height: 360 });
  });

  it('is found by size and samples, and what is not is asked about', async () => {
    const { dispatch, asked, seen } = setUp(true, ['long.mp4']);
    const long = new Uint8Array(300_000).map((_, at) => at % 251);
    const files = [new File([long], 'long.mp4'), new File(['?'], 'lost.mp4'), new File(['!'], 'notes.txt')];
    dispatch(ImportActions.filesDropped({ files, folder: null }));
    await expect.poll(() => seen.some(({ type }) => type === ImportActions.filesNotLinked.type)).toBe(true);
    // The samples begin at 0 and at quarters of what lies before the last one: 58,616 bytes apart here.
    const hash = createHash('sha256').update('300000');
    for (const at of [0, 58_616, 117_232, 175_848, 234_464]) hash.update(long.subarray(at, at + 65_536));
    expect(asked[0]).toEqual({ name: 'long.mp4', bytes: 300_000, sampledHash: hash.digest('hex') });
    expect(seen.find(({ type }) => type === ImportActions.filesNotLinked.type)).toMatchObject({
      missing: [{ name: 'lost.mp4' }],
      problems: ['notes.txt: It holds no media.'],
    });
  });
});
