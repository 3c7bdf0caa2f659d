import '@angular/compiler';
import type { CachedStretchRecord, Job, LightCopy, Project, Source } from '@hone/core/api';
import { cachedSourceId, contentOf, stampsOf } from '@hone/core/cache';
import { FIRST_TUNING, type Tuning } from '@hone/core/levers';
import { readySource, sourceFacts } from '@hone/core/testing';
import { defaultDelivery, factsIn, renderGraph } from '@hone/core/render';
import { appendSource, emptyTimeline } from '@hone/core/timeline';
import { createEntityAdapter, type EntityState } from '@ngrx/entity';
import { describe, expect, it } from 'vitest';
import { selectCopyRows, selectPlan } from './selectors';

const entitiesOf = <T extends { readonly id: string }>(items: readonly T[]): EntityState<T> => {
  const adapter = createEntityAdapter<T>();
  return adapter.setAll([...items], adapter.getInitialState());
};

const UHD = { width: 3840, height: 2160 };
const RATE = { num: 24, den: 1 };
const source = (id: string, width: number, height: number): Source =>
  readySource(id, sourceFacts({ size: { width, height } }), { stamp: id });
const copyOf = (sourceId: string, divisor: 2 | 4, state: LightCopy['state']): LightCopy =>
  ({
    id: `${sourceId}${divisor}`,
    projectId: 'p',
    sourceId,
    divisor,
    state,
    width: 3840 / divisor,
    height: 2160 / divisor,
  }) as LightCopy;

const sources = [source('wide', 3840, 2160), source('small', 1920, 1080), source('unused', 3840, 2160)];
let next = 0;
const timeline = ['wide', 'small'].reduce(
  (line, sourceId) =>
    appendSource(
      line,
      { sourceId, name: sourceId, durationSeconds: { num: 2, den: 1 }, hasPicture: true, hasSound: false },
      () => `c${next++}`,
    ),
  emptyTimeline(RATE, UHD),
);

function state(
  tuning: Partial<Tuning> = {},
  copies: LightCopy[] = [],
  stretches: CachedStretchRecord[] = [],
) {
  const project: Project = {
    id: 'p',
    name: 'P',
    timeline,
    tuning: { ...FIRST_TUNING, ...tuning },
    delivery: defaultDelivery(UHD),
    filters: [],
    revision: 0,
    ancestors: [],
    takesFirstShape: false,
    createdAt: '',
  };
  return {
    project: { open: project },
    playback: { subjectId: null, seenIds: ['wide', 'small'] },
    media: {
      sources: entitiesOf(sources),
      copies: entitiesOf(copies),
      stretches: entitiesOf(stretches),
      jobs: entitiesOf<Job>([]),
      estimates: [],
    },
  };
}

describe('the copies that the board offers', () => {
  it('are of the sources on the timeline, at the copy size of the project, whatever the preview scale', () => {
    const rows = selectCopyRows(state({ playScale: 4 }));
    expect(rows.map(({ source: { id }, divisor, size }) => [id, divisor, size.width])).toEqual([
      ['wide', 4, 960],
      ['small', 2, 960],
    ]);
    expect(selectCopyRows(state({ playScale: 2 })).map(({ divisor }) => divisor)).toEqual([4, 2]);
    expect(selectCopyRows(state({ copyScale: 2 })).map(({ divisor }) => divisor)).toEqual([2, 1]);
  });

  it('are those that are there, when they fit', () => {
    const copies = [copyOf('wide', 4, 'ready'), copyOf('small', 2, 'stale')];
    const rows = selectCopyRows(state({ playScale: 4 }, copies));
    expect(rows.map(({ copy }) => copy?.id ?? null)).toEqual(['wide4', null]);
    expect(rows.map(({ others }) => others.map(({ id }) => id))).toEqual([[], ['small2']]);
  });

  it('are all that there are, also those of another size', () => {
    const copies = [copyOf('wide', 2, 'ready'), copyOf('wide', 4, 'stale')];
    const [wide] = selectCopyRows(state({ playScale: 16 }, copies));
    expect([wide!.copy?.id, wide!.others.map(({ id }) => id)]).toEqual(['wide2', ['wide4']]);
    const both = [copyOf('wide', 2, 'ready'), copyOf('wide', 4, 'making')];
    const [making] = selectCopyRows(state({}, both));
    expect([making!.copy?.id, making!.others.map(({ id }) => id)]).toEqual(['wide4', ['wide2']]);
  });
});

describe('the plan', () => {
  it('uses a copy as soon as it is ready, and not before', () => {
    expect(selectPlan(state({}, [copyOf('wide', 4, 'making')]))!.pictures['wide']!.choice).toBe('original');
    expect(selectPlan(state({}, [copyOf('wide', 4, 'ready')]))!.pictures['wide']!.choice).toBe('light copy');
    expect(
      selectPlan(state({ lightCopies: false }, [copyOf('wide', 4, 'ready')]))!.pictures['wide']!.choice,
    ).toBe('original');
  });

  it('plays a cached stretch where its content is on the timeline, unless the lever says otherwise', () => {
    const graph = renderGraph(timeline, factsIn(sources));
    const range = { from: 10, to: 30 };
    const stretch: CachedStretchRecord = {
      ...{ id: 'kept', projectId: 'other', rate: RATE, size: { width: 960, height: 540 }, frameCount: 20 },
      ...{ content: contentOf(graph, range, stampsOf(sources))!, bytes: 1, format: 'intra H.264' },
      ...{ madeAt: '', madeInMs: 1, usedAt: '' },
    };
    const plan = selectPlan(state({ playScale: 4 }, [], [stretch]))!;
    expect(plan.preview.cached).toEqual([{ ...range, stretchId: 'kept', first: 0 }]);
    expect(plan.pictures[cachedSourceId('kept')]).toMatchObject({ choice: 'render cache', frameCount: 20 });
    for (const tuning of [{ playScale: 2 }, { playScale: 4, renderCache: false }] as const)
      expect(selectPlan(state(tuning, [], [stretch]))!.preview.cached).toEqual([]);
  });

  it('is none without a project', () => {
    const none = state();
    expect(selectPlan({ ...none, project: { open: null } })).toBeNull();
  });
});
