import { execFileSync } from 'node:child_process';
import { join } from 'node:path';
import { exportCommand, exportGraph } from '@hone/core/render';
import { rational } from '@hone/core/time';
import { effectAssets } from '@hone/server';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { codesOf } from '../fixtures/clips.js';
import { expectedCodes, makeCutProject, type CutProject, type NamedCut } from '../fixtures/cut-project.js';
import { frameSums } from '../fixtures/likeness.js';
import { TestServer } from '../fixtures/server.js';

/** More cuts than one program opens files for. */
const COUNT = 30;
const CUTS = Array.from({ length: COUNT }, (_, at): NamedCut => {
  const clips = ['long24', 'pal25', 'fast60'] as const;
  return [clips[at % 3]!, rational((at * 7) % 40, 24), 2];
});

describe('an export of many cuts', () => {
  let server: TestServer;
  let made: CutProject;

  beforeAll(async () => {
    server = await TestServer.start();
    made = await makeCutProject(server, 'Long', CUTS);
  });

  afterAll(() => server.stop());

  it('shows the right frame of the right source in every frame, and says what was opened', async () => {
    const { id, state, proof } = await server.export(made.project.id);
    expect(state).toBe('ready');
    expect(codesOf(join(server.folder, 'data', 'exports', `${id}.mp4`))).toEqual(expectedCodes(CUTS));
    expect(proof!.otherInputs).toEqual([]);
    expect(proof!.frameCount).toBe(2 * COUNT);
  }, 300_000);

  it('is the same frame for frame when it is rendered part by part', async () => {
    const { delivery, timeline } = await server.get<CutProject['project']>(`projects/${made.project.id}`);
    const short = {
      ...timeline,
      tracks: timeline.tracks.map((track) => ({
        ...track,
        clips: track.clips
          .filter(({ start }) => start < 24)
          .map((clip) => ({ ...clip, length: Math.min(clip.length, 24 - clip.start) })),
      })),
    };
    const rows = await server.services.sources.list(made.project.id);
    const rowOf = (id: string) => rows.find((row) => row.id === id)!;
    const factsOf = (id: string) => rowOf(id).facts ?? undefined;
    const graph = exportGraph(short, delivery, factsOf);
    const assets = {
      ...(await effectAssets(graph.graph, server.services.tables, server.folder)),
      inputOf: (id: string) => ['-i', rowOf(id).path],
      factsOf,
    };
    const run = (args: readonly string[], input?: Buffer): Buffer =>
      execFileSync('ffmpeg', ['-v', 'error', '-y', ...args], {
        maxBuffer: 2 ** 30,
        ...(input ? { input } : {}),
      });
    const [whole, parts] = [Infinity, 5].map((mostOpened) => {
      const command = exportCommand(graph, assets, mostOpened);
      const frames = command.renders.map((render) => run([...render, 'pipe:1']));
      const path = join(server.folder, `rendered ${mostOpened}.mp4`);
      run([...command.args, path], frames.length ? Buffer.concat(frames) : undefined);
      return { sums: frameSums(path), renders: frames.length };
    });
    expect([whole!.renders, parts!.renders]).toEqual([0, 2]);
    expect(parts!.sums).toBe(whole!.sums);
  });
});
