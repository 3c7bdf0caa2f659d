import { inject, Injectable } from '@angular/core';
import { Api } from '../api/api';
import { ProjectActions } from './actions';

/** Reads a project with all that belongs to it. */
@Injectable({ providedIn: 'root' })
export class ProjectReader {
  private readonly api = inject(Api);

  async read(id: string): Promise<ReturnType<typeof ProjectActions.opened>> {
    const { api } = this;
    const [project, sources, copies, stretches, jobs, runs, scrubs, exports] = await Promise.all([
      api.project(id),
      api.sources(id),
      api.copies(id),
      api.cachedStretches(),
      api.jobs(id),
      api.runs(id),
      api.scrubs(id),
      api.exports(id),
    ]);
    return ProjectActions.opened({ project, sources, copies, stretches, jobs, runs, scrubs, exports });
  }
}
