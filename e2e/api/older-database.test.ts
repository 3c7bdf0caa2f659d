import { fileURLToPath } from 'node:url';
import {
  replyFault,
  type LightCopy,
  type Project,
  type ProjectEntry,
  type Rigs,
  type RunRecord,
  type Source,
} from '@hone/core/api';
import { SIMULATED_RIGS } from '@hone/core/machine';
import { FrameLog, pacingSummary } from '@hone/core/playback';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { TestServer } from '../fixtures/server.js';

/** Kept by Hone as it was before its names were those of the field: a project of one cut, a copy, two rigs and a run. */
const OLDER = fileURLToPath(new URL('../fixtures/databases/older-hone.db', import.meta.url));

describe('a database that an older Hone has kept', () => {
  let server: TestServer;
  let entry: ProjectEntry;

  beforeAll(async () => {
    server = await TestServer.start({}, {}, OLDER);
    [entry] = (await server.get<ProjectEntry[]>('projects')) as [ProjectEntry];
  });

  afterAll(() => server.stop());

  /** A reply that is as the schema of its route says. */
  const read = async <T>(path: string): Promise<T> => {
    const reply = await server.get<T>(path);
    expect(replyFault('get', `/api/${path}`, reply)).toBeUndefined();
    return reply;
  };

  it('opens with its project, whose timeline can be edited', async () => {
    expect(entry.name).toBe('From before');
    const { timeline, delivery, revision } = await read<Project>(`projects/${entry.id}`);
    const [clip] = timeline.tracks[0]!.clips;
    expect(clip).toMatchObject({ id: 'one', name: 'before', start: 0, length: 48 });
    expect(clip!.effects).toMatchObject([{ kind: 'blur', values: { radius: 4 } }]);
    const shorter = {
      ...timeline,
      tracks: timeline.tracks.map((track, at) =>
        at ? track : { ...track, clips: [{ ...clip!, length: 24 }] },
      ),
    };
    const { status, body } = await server.call<Project>('PUT', `projects/${entry.id}`, {
      ...{ revision, delivery },
      timeline: shorter,
    });
    expect(status).toBe(200);
    expect(body.timeline.tracks[0]!.clips[0]!.length).toBe(24);
  });

  it('has its sources and copies, and says that their files are gone', async () => {
    const source = await server.untilSource(entry.id, 'before.mp4', ({ state }) => state === 'missing');
    expect(source.facts!.picture).toMatchObject({ codec: 'h264', size: { width: 320, height: 180 } });
    expect(await read<Source[]>(`projects/${entry.id}/sources`)).toHaveLength(1);
    const [copy] = await read<LightCopy[]>(`projects/${entry.id}/copies`);
    expect(copy).toMatchObject({ sourceId: source.id, divisor: 2 });
  });

  it('has the rig of this machine and those that were loaded, figure by figure', async () => {
    const { own, loaded } = await read<Rigs>('rigs');
    // The sentences that explain figures are kept as they were written then.
    const figuresOf = (rig: (typeof SIMULATED_RIGS)[number]): object[] =>
      rig.decoders.map((each) => ({ ...each, problem: null }));
    expect(figuresOf(own!)).toEqual(figuresOf(SIMULATED_RIGS[0]!));
    expect(own!.decoders.map(({ problem }) => problem)).toContain(
      'No browser decodes HEVC without hardware.',
    );
    expect(own!.machine.memoryBytes).toBe(SIMULATED_RIGS[0]!.machine.memoryBytes);
    expect(loaded.map(({ name }) => name)).toEqual([SIMULATED_RIGS[1]!.name]);
  });

  it('has its runs with their logs, which can be noted and diagnosed', async () => {
    const [run] = await read<RunRecord[]>(`projects/${entry.id}/runs`);
    expect(run!.facts).toMatchObject({ firstFrame: 0, rigId: 'own', played: null, wholeFrames: null });
    expect(run!.facts.ranges).toBeUndefined();
    const reply = await fetch(`${server.url}/api/runs/${run!.id}/log`);
    const log = new FrameLog(0, new Float32Array(await reply.arrayBuffer()));
    // Every fifth frame was dropped.
    expect(pacingSummary(log, run!.facts.rate)).toMatchObject({ wanted: 48, shown: 39, dropped: 9 });
    expect(run!.summary).toMatchObject({ wanted: 48, shown: 39 });
    const { status, body } = await server.call<RunRecord>('PUT', `runs/${run!.id}/notes`, { notes: 'Old.' });
    expect([status, body.notes]).toEqual([200, 'Old.']);
  });
});
