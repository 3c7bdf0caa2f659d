import type { PreviewPlan } from '../plan.js';
import type { EngineRequest } from '../shared/messages.js';

export type PlayRequest = Extract<EngineRequest, { kind: 'play' }>;

/** What the page can ask of the engine. */
interface Performer {
  setPlan(plan: PreviewPlan): Promise<void>;
  play(request: PlayRequest): Promise<void>;
  pause(): Promise<void>;
  seek(frame: number): Promise<void>;
  shuttle(speed: number): Promise<void>;
  flatOut(from: number, to: number): Promise<void>;
  cancelFilling(): void;
}

/** Performs a request of the page. What takes longer goes on after it returns. */
export function perform(engine: Performer, request: EngineRequest): void {
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
