import { ROUTES, type Project, type Source } from '@hone/core/api';
import { findingOf } from '@hone/core/findings';
import { FIRST_TUNING } from '@hone/core/levers';
import { FrameLog } from '@hone/core/playback';
import { SIMULATED_RIGS } from '@hone/core/machine';
import { rational } from '@hone/core/time';
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { makeClips } from '../fixtures/clips.js';
import { cutTimeline, TestServer } from '../fixtures/server.js';
import { sendRaw } from '../hostile/requests.js';

const LONGEST_MS = 5000;
/** Bodies that are sent to each route. */
const RUNS = 60;
/** Routes that measure the machine or make things for as long as it takes. */
const LONG = /measurements|estimate|duplicate/;

type Path = readonly (string | number)[];

/** All places in a value, from the outside in. */
function placesIn(value: unknown, at: Path = []): Path[] {
  if (value === null || typeof value !== 'object') return [at];
  return [
    at,
    ...Object.entries(value).flatMap(([key, each]) =>
      placesIn(each, [...at, Array.isArray(value) ? Number(key) : key]),
    ),
  ];
}

function changed(value: unknown, [key, ...rest]: Path, to: unknown): unknown {
  if (key === undefined) return to;
  if (Array.isArray(value))
    return value.map((each: unknown, at) => (at === key ? changed(each, rest, to) : each));
  const fields = value as Record<string, unknown>;
  // JSON leaves out what is undefined.
  return { ...fields, [String(key)]: changed(fields[String(key)], rest, to) };
}

/** Values that break what was not meant for them. */
const ODD = fc.oneof(
  fc.constantFrom<unknown>(
    undefined,
    null,
    true,
    0,
    -1,
    0.5,
    24.5,
    1e8,
    1e15,
    1e300,
    -1e300,
    Number.MAX_SAFE_INTEGER,
    '',
    ' ',
    '0',
    '../..',
    '__proto__',
    [],
    {},
    [[]],
    { num: 1, den: 0 },
    { num: 24 },
    { num: -1, den: 1 },
    'x'.repeat(2000),
  ),
  fc.jsonValue({ maxDepth: 3 }),
);

/** A right body with one to three of its places changed, or anything at all. */
const mutated = (right: unknown): fc.Arbitrary<unknown> => {
  const places = placesIn(right);
  const change = fc.tuple(fc.nat(places.length - 1), ODD);
  const changes = fc.array(change, { minLength: 1, maxLength: 3 }).map((list) =>
    list.reduce<unknown>((body, [place, to]) => {
      try {
        return changed(body, places[place]!, to);
      } catch {
        // An earlier change removed the place.
        return body;
      }
    }, right),
  );
  return fc.oneof({ weight: 4, arbitrary: changes }, { weight: 1, arbitrary: fc.jsonValue() });
};

describe('every route of the description', () => {
  let server: TestServer;
  let project: Project;
  let source: Source;
  let port: number;
  const ids: Record<string, string> = {};

  beforeAll(async () => {
    server = await TestServer.start();
    port = Number(new URL(server.url).port);
    project = (await server.call<Project>('POST', 'projects', { name: 'Fuzz' })).body;
    const { long24: path } = await makeClips(server.footage);
    [source] = (await server.addSources(project.id, [path])) as [Source];
    await server.settle(project.id);
    const cuts = [{ sourceId: source.id, sourceIn: rational(0), frames: 12 }];
    project = await server.setTimeline(
      project.id,
      cutTimeline(rational(24), { width: 320, height: 180 }, cuts),
    );
    Object.assign(ids, { projectId: project.id, id: project.id });
  });

  afterAll(() => server.stop());

  /** A body that each route takes. */
  const right = (path: string): unknown => {
    const log = FrameLog.empty(0, 12);
    const facts = {
      ...{
        firstFrame: 0,
        rate: rational(24),
        tuning: FIRST_TUNING,
        subjectId: null,
        played: null,
        wholeFrames: 12,
      },
      ...{
        copiedSources: [],
        serverDecoded: [],
        leversMoved: false,
        clock: 'system',
        sound: { mixMs: 1, gapSamples: 0 },
      },
      ...{ decodeWorkers: 1, rigId: null, driveId: null, predicted: null },
    };
    const bodies: Record<string, unknown> = {
      '/api/projects': { name: 'New', size: { width: 640, height: 360 }, rate: rational(25) },
      '/api/projects/{id}': {
        revision: project.revision,
        timeline: project.timeline,
        delivery: project.delivery,
      },
      '/api/projects/{id}/name': { name: 'Fuzz' },
      '/api/projects/{id}/tuning': FIRST_TUNING,
      '/api/projects/{id}/filters': [{ name: 'large', conditions: [] }],
      '/api/projects/{projectId}/sources': { fileIds: ['0'.repeat(32)] },
      '/api/projects/{projectId}/sources/search': { names: ['a.mp4'], keepMissing: false, contents: [] },
      '/api/projects/{projectId}/sources/dropped': {
        files: [{ name: 'a.mp4', bytes: 1, sampledHash: '0'.repeat(64) }],
      },
      '/api/folders': { path: '/nothing/here' },
      '/api/projects/{projectId}/sources/changes': { sourceIds: [source.id], bin: 'a/b', addTag: 'x' },
      '/api/projects/{projectId}/sources/retry': { sourceIds: [source.id] },
      '/api/projects/{projectId}/sources/removal': { sourceIds: [source.id] },
      '/api/projects/{projectId}/copies': { sourceIds: ['none'], divisor: 2 },
      '/api/projects/{projectId}/copies/estimate': { sourceIds: ['none'], divisor: 2 },
      '/api/projects/{projectId}/runs': {
        facts,
        log: Buffer.from(log.values.buffer as ArrayBuffer).toString('base64'),
        pressedAt: 1,
      },
      '/api/projects/{projectId}/scrubs': {
        tuning: FIRST_TUNING,
        subjectId: null,
        pictures: 3,
        medianMs: 40,
        worstTwentiethMs: 90,
      },
      '/api/runs/{id}/notes': { notes: 'calm' },
      '/api/runs/{id}/findings': { findings: [findingOf('slow-start', { firstFrameMs: 1200 })] },
      '/api/simulation': { driveId: null },
      '/api/rigs/own': SIMULATED_RIGS[0],
      '/api/rigs': SIMULATED_RIGS[0],
      '/api/machine/settings': { memoryCeilingBytes: 4e9 },
    };
    return bodies[path] ?? { projectId: 'none', thorough: false, drive: '/' };
  };

  const odd = fc.oneof(
    fc.constantFrom(
      'none',
      '0',
      '-1',
      '1e300',
      '..',
      '%2e%2e',
      '%00',
      '%ff',
      '__proto__',
      'x'.repeat(500),
      "'",
      '%',
      '*',
      '1;DROP%20TABLE%20projects',
    ),
    fc.uuid(),
  );

  for (const route of ROUTES) {
    const { method, path, body } = route;
    // What never ends is looked at by other tests.
    if (path === '/api/events') continue;
    it(`answers anything at ${method.toUpperCase()} ${path}`, async () => {
      const inPath = [...path.matchAll(/\{(\w+)\}/g)].map(([, name]) => name!);
      const sent = fc.record({
        // A long route is asked with identifiers that are not there.
        parts: fc.tuple(
          ...inPath.map((name) =>
            LONG.test(path) || method === 'delete' ? odd : fc.oneof(odd, fc.constant(ids[name] ?? 'none')),
          ),
        ),
        body:
          body === undefined
            ? fc.constant(undefined)
            : typeof body === 'string'
              ? fc.string({ unit: 'binary' })
              : mutated(right(path)),
        query: fc.dictionary(
          fc.constantFrom(...(route.query?.length ? route.query : ['x'])),
          fc.oneof(fc.string(), fc.double().map(String)),
          { maxKeys: 3 },
        ),
      });
      await fc.assert(
        fc.asyncProperty(sent, async ({ parts, body: content, query }) => {
          const left = [...(parts as string[])];
          const place = path.replace(/\{\w+\}/g, () => left.shift()!);
          const search = new URLSearchParams(query as Record<string, string>).toString();
          const type = typeof body === 'string' ? body : 'application/json';
          const text =
            content === undefined
              ? undefined
              : typeof body === 'string'
                ? (content as string)
                : JSON.stringify(content);
          const began = performance.now();
          const reply = await sendRaw(port, {
            method: method.toUpperCase(),
            path: search ? `${place}?${search}` : place,
            ...(text === undefined ? {} : { headers: { 'Content-Type': type }, body: text }),
          });
          expect(reply.status, reply.body.toString('utf8', 0, 300)).toBeLessThan(500);
          expect(performance.now() - began).toBeLessThan(LONGEST_MS);
        }),
        { numRuns: inPath.length || body !== undefined ? RUNS : 3 },
      );
    });
  }

  it('leaves a server that still answers', async () => {
    expect((await server.get<Project>(`projects/${project.id}`)).id).toBe(project.id);
  });
});
