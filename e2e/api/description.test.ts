import { join } from 'node:path';
import {
  ROUTES,
  type CachedStretchRecord,
  type ExportRecord,
  type Job,
  type KeptTable,
  type LightCopy,
  type Project,
  type RunRecord,
  type Source,
} from '@hone/core/api';
import { FrameLog, type NewRun } from '@hone/core/playback';
import { TITLE_FONT_FILES } from '@hone/core/render';
import { SIMULATED_RIGS } from '@hone/core/machine';
import { makeCodedClip } from '@hone/demo';
import { isSchema } from 'yup';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { cutTimeline, TestServer } from '../fixtures/server.js';

interface Described {
  openapi: string;
  paths: Record<string, Record<string, { responses: Record<string, unknown>; requestBody?: unknown }>>;
}

describe('the description of the API', () => {
  let server: TestServer;
  let described: Described;
  let project: Project;
  let source: Source;
  let copy: LightCopy;
  let run: RunRecord;
  let record: ExportRecord;

  beforeAll(async () => {
    server = await TestServer.start();
    described = await server.get('openapi.json');
    project = (await server.call<Project>('POST', 'projects', { name: 'Described' })).body;
    const path = join(server.footage, 'a.mp4');
    await makeCodedClip({ source: 1, width: 320, height: 180, rate: '24', frames: 24, sound: true, path });
    source = (await server.addSources(project.id, [path]))[0]!;
    await server.settle(project.id);
    const cuts = [{ sourceId: source.id, sourceIn: { num: 0, den: 1 }, frames: 12 }];
    await server.setTimeline(
      project.id,
      cutTimeline({ num: 24, den: 1 }, { width: 320, height: 180 }, cuts, source.id),
    );
    copy = (await server.makeCopies(project.id, [source.id], 2))[0]!;
    const log = FrameLog.empty(0, 12);
    for (let frame = 0; frame < 12; frame++) log.set(frame, 'settled', 1);
    const kept: NewRun = {
      facts: {
        ...{
          firstFrame: 0,
          rate: { num: 24, den: 1 },
          tuning: project.tuning,
          subjectId: null,
          copiedSources: [],
        },
        ...{ serverDecoded: [], leversMoved: false, clock: 'system', sound: { mixMs: 0, gapSamples: 0 } },
        ...{ decodeWorkers: 1, rigId: null, driveId: null, predicted: null, played: null, wholeFrames: null },
      },
      log: Buffer.from(log.values.buffer as ArrayBuffer).toString('base64'),
      pressedAt: Date.now(),
    };
    run = (await server.call<RunRecord>('POST', `projects/${project.id}/runs`, kept)).body;
    const scrub = {
      tuning: project.tuning,
      subjectId: null,
      pictures: 3,
      medianMs: 40,
      worstTwentiethMs: 90,
    };
    expect((await server.call('POST', `projects/${project.id}/scrubs`, scrub)).status).toBe(201);
    expect((await server.call('POST', 'rigs', SIMULATED_RIGS[0])).status).toBe(201);
    record = await server.export(project.id);
  });

  afterAll(() => server.stop());

  it('is of OpenAPI 3.1, and every object in it says what it is', () => {
    expect(described.openapi).toBe('3.1.0');
    for (const operations of Object.values(described.paths))
      for (const { responses } of Object.values(operations))
        expect(Object.keys(responses)).toContain('default');
    // A type must be one name or a list of them that is not empty (JSON Schema).
    expect(JSON.stringify(described)).not.toContain('"type":[]');
  });

  it('holds every route that there is, and no other', () => {
    const listed = Object.entries(described.paths).flatMap(([path, operations]) =>
      Object.keys(operations).map((method) => `${method} ${path}`),
    );
    expect(listed.sort()).toEqual([...server.routes].sort());
  });

  it('is kept by what is really answered', async () => {
    const table = await server.callText<KeptTable>('tables', 'LUT_1D_SIZE 2\n0 0 0\n1 1 1\n');
    const range = { ranges: [{ from: 0, to: 4 }], size: { width: 160, height: 90 } };
    const render = await server.call<Job>('POST', `projects/${project.id}/cached-stretches`, range);
    await server.services.queue.finished(render.body.id);
    const [stretch] = await server.get<CachedStretchRecord[]>('cached-stretches');
    const ids: Record<string, string> = {
      '/api/sources/{id}': source.id,
      '/media/sources/{id}': source.id,
      '/media/strips/{id}': source.id,
      '/media/frames/{id}': source.id,
      '/media/copies/{id}': copy.id,
      '/media/stretches/{id}': stretch!.id,
      '/media/stretch-frames/{id}': stretch!.id,
      '/media/exports/{id}': record.id,
      '/media/export-strips/{id}': record.id,
      '/media/tables/{id}': table.body.id,
      '/api/runs/{id}': run.id,
      '/api/projects/{id}': project.id,
    };
    const folder = (await server.get<{ children: { id: string }[] }>('folders')).children[0]!.id;
    const skipped = ['/api/events', '/media/sounds/{id}', '/media/tried-formats/{id}'];
    const [{ revision }] = await server.get<[{ revision: number }]>(`projects/${project.id}/revisions`);
    let checkedReplies = 0;
    for (const route of ROUTES.filter(({ method, path }) => method === 'get' && !skipped.includes(path))) {
      const known = Object.keys(ids).find((start) => route.path.startsWith(start));
      const path = route.path
        .replace('{projectId}', project.id)
        .replace('{revision}', String(revision))
        .replace('/api/folders/{id}', `/api/folders/${folder}`)
        .replace('{name}', TITLE_FONT_FILES[0]!)
        .replace('{id}', ids[known ?? ''] ?? 'nothing');
      const query = route.path.includes('frames') ? '?from=0&width=32&height=18' : '';
      const reply = await fetch(server.url + path + query);
      expect([route.path, reply.status]).toEqual([route.path, route.status]);
      const type = reply.headers.get('content-type') ?? '';
      if (isSchema(route.reply)) {
        const body: unknown = await reply.json();
        const faults = await route.reply.validate(body, { strict: true, abortEarly: false }).then(
          () => [],
          (error: { errors: string[] }) => error.errors,
        );
        expect([route.path, faults]).toEqual([route.path, []]);
        checkedReplies++;
      } else {
        await reply.arrayBuffer();
        if (route.reply !== 'application/octet-stream') expect(type).toContain(route.reply);
      }
    }
    expect(checkedReplies).toBeGreaterThanOrEqual(20);
  });
});
