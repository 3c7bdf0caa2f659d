import { checked, newProjectSchema, projectChangeSchema, projectNameSchema } from '@hone/core/api';
import { tuningSchema } from '@hone/core/levers';
import { sourceFiltersSchema } from '@hone/core/media';
import { timelineEffectFault } from '@hone/core/render';
import { Router } from 'express';
import { UserError } from '../http/problems.js';
import type { Removal } from '../media/removal.js';
import type { ProjectDuplicator } from './duplicate.js';
import type { ProjectStore } from './project-store.js';

export function projectRoutes(
  projects: ProjectStore,
  removal: Removal,
  duplicator: ProjectDuplicator,
): Router {
  const router = Router();

  router.get('/projects', async (_request, response) => {
    response.json(await projects.list());
  });

  router.post('/projects', async (request, response) => {
    const body = checked(newProjectSchema, request.body, 'the new project');
    response.status(201).json(await projects.create(body));
  });

  router.get('/projects/:id', async (request, response) => {
    response.json(await projects.get(request.params.id));
  });

  router.put('/projects/:id', async (request, response) => {
    const body = checked(projectChangeSchema, request.body, 'the timeline');
    const fault = timelineEffectFault(body.timeline);
    if (fault) throw new UserError(400, 'Effect not understood', fault);
    response.json(await projects.change(request.params.id, body));
  });

  router.put('/projects/:id/name', async (request, response) => {
    const { name } = checked(projectNameSchema, request.body, 'the name');
    response.json(await projects.rename(request.params.id, name));
  });

  router.post('/projects/:id/duplicate', async (request, response) => {
    response.status(201).json(await duplicator.duplicate(request.params.id));
  });

  router.delete('/projects/:id', async (request, response) => {
    await removal.removeProject(request.params.id);
    response.status(204).end();
  });

  router.get('/projects/:id/revisions', async (request, response) => {
    response.json(await projects.revisions(request.params.id));
  });

  router.get('/projects/:id/revisions/:revision', async (request, response) => {
    const { id, revision } = request.params;
    response.json(await projects.timelineAt(id, Number(revision)));
  });

  router.put('/projects/:id/tuning', async (request, response) => {
    const body = checked(tuningSchema, request.body, 'the tuning');
    response.json(await projects.tune(request.params.id, body));
  });

  router.put('/projects/:id/filters', async (request, response) => {
    const body = checked(sourceFiltersSchema, request.body, 'the filters');
    response.json(await projects.keepFilters(request.params.id, body));
  });

  return router;
}
