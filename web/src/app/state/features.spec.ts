import '@angular/compiler';
import type { Job, LightCopy, Project, RunRecord } from '@hone/core/api';
import { FIRST_TUNING } from '@hone/core/levers';
import { FrameLog } from '@hone/core/playback';
import { defaultDelivery } from '@hone/core/render';
import { readySource } from '@hone/core/testing';
import { emptyTimeline } from '@hone/core/timeline';
import { describe, expect, it } from 'vitest';
import { CopyActions, ImportActions, PlayerActions, ProjectActions, ServerActions } from './actions';
import { mediaFeature } from './media.feature';
import { playbackFeature } from './playback.feature';
import { projectFeature } from './project.feature';
import { selectTimelineFrame } from './selectors';

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
  createdAt: '2026-01-01T00:00:00Z',
};
const source = (id: string, projectId = 'p') => readySource(id, undefined, { projectId });
const run = (id: string): RunRecord => ({ id, facts: { subjectId: null } }) as RunRecord;
const opened = ProjectActions.opened({
  project,
  sources: [source('a'), source('b')],
  copies: [],
  stretches: [],
  jobs: [],
  runs: [run('r2'), run('r1')],
  scrubs: [],
  exports: [],
});
const init = { type: 'init' };

const ORIGIN = {
  choice: 'light copy',
  pixels: { width: 960, height: 540 },
  decoder: 'browser',
} as const;

describe('the state of the project', () => {
  const { reducer } = projectFeature;
  const open = reducer(reducer(undefined, init), opened);

  it('has a project once it is opened', () => {
    expect(reducer(undefined, init)).toMatchObject({ open: null, opening: true });
    expect(open).toMatchObject({ opening: false, open: { id: 'p' } });
    expect(reducer(undefined, ProjectActions.projectsListed({ projects: [] })).opening).toBe(false);
  });

  it('takes edits back in the order in which they were made', () => {
    const edit = (startFrame: number) =>
      ProjectActions.timelineEdited({ timeline: { ...project.timeline, startFrame } });
    const edited = [edit(1), edit(2)].reduce(reducer, open);
    expect(edited.open!.timeline.startFrame).toBe(2);
    const back = reducer(edited, ProjectActions.editUndone());
    expect(back.open!.timeline.startFrame).toBe(1);
    const start = reducer(back, ProjectActions.editUndone());
    expect(start.open!.timeline.startFrame).toBe(0);
    expect(reducer(start, ProjectActions.editUndone())).toBe(start);
  });

  it('takes what another window kept, but no older revision, and keeps its own levers', () => {
    const tuned = reducer(open, ProjectActions.leverMoved({ tuning: { ...FIRST_TUNING, playScale: 16 } }));
    const newer = reducer(
      tuned,
      ServerActions.projectChanged({ project: { ...project, revision: 4, name: 'N' } }),
    );
    expect(newer.open).toMatchObject({ revision: 4, name: 'N', tuning: { playScale: 16 } });
    const older = reducer(newer, ServerActions.projectChanged({ project: { ...project, revision: 2 } }));
    expect(older.open!.revision).toBe(4);
    const other = reducer(
      newer,
      ServerActions.projectChanged({ project: { ...project, id: 'q', revision: 9 } }),
    );
    expect(other.open!.revision).toBe(4);
  });

  it('keeps what is edited while a save is under way, whichever news comes first', () => {
    const edit = (startFrame: number) =>
      ProjectActions.timelineEdited({ timeline: { ...project.timeline, startFrame } });
    const first = { ...project, revision: 4, timeline: { ...project.timeline, startFrame: 1 } };
    const kept = ProjectActions.kept({ project: first, edits: 1 });
    const told = ServerActions.projectChanged({ project: first });
    // The first edit is on its way to the server when the second is made.
    const editing = [edit(1), edit(2)].reduce(reducer, open);
    for (const news of [[kept, told], [told, kept], [kept], [told]]) {
      expect(news.reduce<typeof editing>(reducer, editing).open!.timeline.startFrame).toBe(2);
    }
    expect([told, kept].reduce<typeof editing>(reducer, editing).open!.revision).toBe(4);
    // Once the second is kept too, what another window does is taken again.
    const second = { ...project, revision: 5, timeline: { ...project.timeline, startFrame: 2 } };
    const settled = [kept, ProjectActions.kept({ project: second, edits: 2 })].reduce<typeof editing>(
      reducer,
      editing,
    );
    const elsewhere = { ...second, revision: 6, timeline: { ...project.timeline, startFrame: 9 } };
    const after = reducer(settled, ServerActions.projectChanged({ project: elsewhere }));
    expect(after.open!.timeline.startFrame).toBe(9);
    // And undone by itself, before what this window has edited.
    const back = reducer(after, ProjectActions.editUndone());
    expect(back.open!.timeline.startFrame).toBe(2);
    expect(reducer(back, ProjectActions.editUndone()).open!.timeline.startFrame).toBe(1);
    const same = ServerActions.projectChanged({ project: { ...elsewhere, revision: 7 } });
    expect(reducer(after, same).past).toEqual(after.past);
  });

  it('opens what an earlier visit edited, one step after the other, and does it again', () => {
    const later = { ...open, open: { ...open.open!, ancestors: [2, 1] } };
    const earlier = emptyTimeline({ num: 25, den: 1 }, { width: 640, height: 360 });
    const back = reducer(later, ProjectActions.ancestorOpened({ revision: 2, timeline: earlier }));
    expect(back.open).toMatchObject({ timeline: earlier, ancestors: [1] });
    expect(back.edits).toBe(later.edits + 1);
    expect(reducer(back, ProjectActions.editDoneAgain()).open!.timeline).toBe(later.open.timeline);
    // What came too late, for a timeline that was edited meanwhile, changes nothing.
    expect(reducer(back, ProjectActions.ancestorOpened({ revision: 2, timeline: earlier }))).toBe(back);
  });

  it('goes on without a project that was deleted, in this window or another', () => {
    const gone = reducer(open, ProjectActions.gone({ projectId: open.open!.id }));
    expect(gone.open).toBeNull();
    expect(gone.past).toEqual([]);
  });

  it('shows what went wrong until it was read', () => {
    const failed = reducer(open, ProjectActions.failed({ message: 'No.' }));
    expect([failed.notice, failed.isFault]).toEqual(['No.', true]);
    expect(reducer(failed, ProjectActions.told({ message: 'Done.' })).isFault).toBe(false);
    expect(reducer(failed, ProjectActions.noticeRead()).notice).toBeNull();
  });
});

describe('the state of the media', () => {
  const { reducer } = mediaFeature;
  const open = reducer(reducer(undefined, init), opened);
  const copy = { id: 'c', projectId: 'p', sourceId: 'a' } as LightCopy;

  it('keeps the order of the sources and adds new ones at the end', () => {
    const more = reducer(open, ServerActions.sourceChanged({ source: source('c') }));
    expect(more.sources.ids).toEqual(['a', 'b', 'c']);
    const changed = reducer(more, ServerActions.sourceChanged({ source: { ...source('a'), name: 'A' } }));
    expect(changed.sources.ids).toEqual(['a', 'b', 'c']);
    expect(changed.sources.entities['a']!.name).toBe('A');
  });

  it('does not take what belongs to another project', () => {
    expect(reducer(open, ServerActions.sourceChanged({ source: source('x', 'q') }))).toBe(open);
    expect(reducer(open, ServerActions.copyChanged({ copy: { ...copy, projectId: 'q' } }))).toBe(open);
    expect(reducer(open, ServerActions.jobChanged({ job: { id: 'j', projectId: 'q' } as Job }))).toBe(open);
  });

  it('follows copies as they come and go', () => {
    const made = reducer(open, ServerActions.copyChanged({ copy }));
    expect(made.copies.entities['c']).toBe(copy);
    expect(reducer(made, ServerActions.copyGone({ copyId: 'c' })).copies.ids).toEqual([]);
  });

  it('replaces an estimate by a newer one of the same copy', () => {
    const estimate = {
      sourceId: 'a',
      divisor: 4 as const,
      bytes: 1,
      seconds: 1,
      width: 2,
      height: 2,
      sampledFrames: 24,
    };
    const asked = reducer(open, CopyActions.estimateAsked({ sourceIds: ['a'], divisor: 4 }));
    expect(asked.estimating).toBe(true);
    const once = reducer(asked, CopyActions.estimatesMade({ estimates: [estimate] }));
    const twice = reducer(once, CopyActions.estimatesMade({ estimates: [{ ...estimate, bytes: 2 }] }));
    expect(twice).toMatchObject({ estimating: false, estimates: [{ bytes: 2 }] });
    expect(twice.estimates).toHaveLength(1);
  });

  it('forgets an upload that has arrived', () => {
    const half = reducer(open, ImportActions.uploadProgressed({ name: 'u', share: 0.5 }));
    expect(half.uploads).toEqual({ u: 0.5 });
    expect(reducer(half, ImportActions.uploadProgressed({ name: 'u', share: 1 })).uploads).toEqual({});
  });
});

describe('the state of playback', () => {
  const { reducer } = playbackFeature;
  const open = reducer(reducer(undefined, init), opened);

  it('lays the last two runs beside each other', () => {
    expect(open).toMatchObject({ runId: 'r2', beforeId: 'r1' });
    const played = reducer(open, PlayerActions.runKept({ run: run('r3'), log: FrameLog.empty(0, 1) }));
    expect(played).toMatchObject({ runId: 'r3', beforeId: 'r2' });
    expect(played.runs.map(({ id }) => id)).toEqual(['r3', 'r2', 'r1']);
  });

  it('lets a run go wherever it stood', () => {
    const without = reducer(open, PlayerActions.runRemoved({ runId: 'r2' }));
    expect(without).toMatchObject({ runId: 'r1', runs: [{ id: 'r1' }] });
    expect(reducer(open, PlayerActions.runRemoved({ runId: 'r1' }))).toMatchObject({
      runId: 'r2',
      beforeId: null,
    });
  });

  it('goes back to where the timeline stood when a source is no longer played alone', () => {
    const at = (frame: number) => PlayerActions.placeAsked({ frame });
    const play = (sourceId: string | null) => PlayerActions.subjectChosen({ sourceId });
    const alone = [at(40), play('a'), at(7)].reduce<typeof open>(reducer, open);
    expect(alone.frame).toBe(7);
    expect(selectTimelineFrame.projector('a', alone.frame, alone.leftAt)).toBe(40);
    const another = [play('b'), at(9)].reduce<typeof open>(reducer, alone);
    const back = reducer(another, play(null));
    expect(back.frame).toBe(40);
    expect(selectTimelineFrame.projector(null, back.frame, back.leftAt)).toBe(40);
  });

  it('knows what stands in the viewer', () => {
    const shown = reducer(
      open,
      PlayerActions.pixelsChanged({
        pixels: { size: SIZE, from: [ORIGIN], leftOut: [], composedOn: 'processor' },
      }),
    );
    expect(shown.pixels).toEqual({ size: SIZE, from: [ORIGIN], leftOut: [], composedOn: 'processor' });
    expect(reducer(shown, PlayerActions.stateChanged({ state: 'playing', frame: 7 }))).toMatchObject({
      state: 'playing',
      frame: 7,
    });
  });
});
