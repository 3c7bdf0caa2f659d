import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { CopyStore } from '../copies/copy-store.js';
import type { ExportStore } from '../exports/export-store.js';
import type { JobQueue } from '../jobs/queue.js';
import type { ProjectStore } from '../projects/project-store.js';
import type { StretchStore } from '../render-cache/stretch-store.js';
import { peaksPath, soundPath } from './sound-job.js';
import type { SourceRow, SourceStore } from './source-store.js';
import { stripPath } from './filmstrip-job.js';

interface RemovalParts {
  readonly projects: ProjectStore;
  readonly sources: SourceStore;
  readonly copies: CopyStore;
  readonly stretches: StretchStore;
  readonly exports: ExportStore;
  readonly queue: JobQueue;
  readonly dataFolder: string;
}

/** Removes sources and projects with everything that Hone made of them. Files that people chose stay where they are. */
export class Removal {
  constructor(private readonly parts: RemovalParts) {}

  async removeSource({ id }: Pick<SourceRow, 'id'>): Promise<void> {
    const { sources, copies, queue, dataFolder } = this.parts;
    const made = await copies.of(id);
    await queue.endFor([id, ...made.map((copy) => copy.id)]);
    for (const copy of await copies.of(id)) await copies.remove(copy);
    await sources.remove(id);
    const previews = join(dataFolder, 'previews');
    for (const path of [stripPath, soundPath, peaksPath].map((pathOf) => pathOf(previews, id)))
      await rm(path, { force: true });
  }

  /** Removes a project with its sources, copies, runs and exports, and with the files that were uploaded to it. */
  async removeProject(projectId: string): Promise<void> {
    const { projects, sources, stretches, exports, queue, dataFolder } = this.parts;
    await projects.get(projectId);
    const made = await exports.list(projectId);
    const renders = (await queue.list(projectId)).filter(({ kind }) => kind === 'stretch');
    await queue.endFor([...made.map(({ id }) => id), ...renders.map(({ subjectId }) => subjectId)]);
    const cached = (await stretches.list()).filter((row) => row.projectId === projectId);
    await stretches.remove(cached.map(({ id }) => id));
    for (const row of await sources.list(projectId)) await this.removeSource(row);
    await projects.remove(projectId);
    for (const { id, path } of made) {
      await rm(path, { force: true });
      await rm(stripPath(join(dataFolder, 'previews'), id), { force: true });
    }
    const uploads = join(dataFolder, 'media', projectId);
    const isElsewhere = (await sources.all()).some(({ path }) => path.startsWith(uploads));
    if (!isElsewhere) await rm(uploads, { recursive: true, force: true });
  }
}
