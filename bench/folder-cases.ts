import { readdir, readFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { readOtio, relinkable, relink } from '@hone/core/interchange';
import { rational } from '@hone/core/time';
import type { FrameSize, Timeline } from '@hone/core/timeline';
import type { RunningServer } from '@hone/server';
import { UHD } from './case-tracks.js';
import { waitForJobs } from './footage.js';

/** Timelines that were found in a folder, in a project of their own. */
export interface FolderCases {
  readonly id: string;
  readonly size: FrameSize;
  readonly timelines: readonly { readonly name: string; readonly timeline: Timeline }[];
}

/**
 * Takes all sources and `.otio` files of a folder into a new project.
 * @throws Error in a sentence when there is no source or no timeline
 */
export async function readFolder({ services }: RunningServer, folder: string): Promise<FolderCases> {
  const { projects, importer, sources } = services;
  const names = (await readdir(folder, { withFileTypes: true })).filter((each) => each.isFile());
  const project = await projects.create({ name: folder, size: UHD, rate: rational(24) });
  for (const { name } of names.filter((each) => !each.name.endsWith('.otio'))) {
    try {
      await importer.add(project.id, join(folder, name));
    } catch (error) {
      console.log(`${name} is left out: ${error instanceof Error ? error.message : String(error)}`);
    }
  }
  await waitForJobs({ services } as RunningServer, project.id);
  const known = await sources.list(project.id);
  if (!known.some(({ facts }) => facts?.picture))
    throw new Error(`There is no source with a picture in ${folder}. Put footage beside the .otio files.`);
  const media = known.map((row) => relinkable({ ...row, folder: dirname(row.path) }));
  const timelines = [];
  for (const { name } of names.filter((each) => each.name.endsWith('.otio'))) {
    const imported = readOtio(await readFile(join(folder, name), 'utf8'));
    let next = 0;
    const timeline = relink(imported, media, UHD, () => `f${next++}`);
    timelines.push({ name, timeline });
  }
  if (timelines.length === 0) throw new Error(`There is no .otio file in ${folder}.`);
  return { id: project.id, size: timelines[0]!.timeline.size, timelines };
}
