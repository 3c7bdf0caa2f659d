import { checked, simulationSchema } from '@hone/core/api';
import { Router } from 'express';
import type { DriveSimulation } from './simulation.js';

export function simulationRoutes(simulation: DriveSimulation): Router {
  const router = Router();

  router.get('/simulation', (_request, response) => {
    response.json(simulation.state);
  });

  router.put('/simulation', (request, response) => {
    const { driveId } = checked(simulationSchema, request.body, 'the choice');
    response.json(simulation.choose(driveId));
  });

  return router;
}
