import type { EngineRequest } from '../shared/messages.js';
import type { Engine } from './engine.js';

/** Performs a request of the page. What takes longer goes on after it returns. */
export function perform(engine: Engine, request: EngineRequest): void {
  switch (request.kind) {
    case 'init':
      break;
    case 'plan':
      void engine.setPlan(request.plan);
      break;
    case 'play':
      void engine.play(request);
      break;
    case 'pause':
      void engine.pause();
      break;
    case 'seek':
      void engine.seek(request.frame);
      break;
    case 'shuttle':
      void engine.shuttle(request.speed);
      break;
    case 'flatOut':
      void engine.flatOut(request.from, request.to);
      break;
    case 'stop filling':
      engine.cancelFilling();
  }
}
