import { EventEmitter } from 'node:events';
import type { ServerEvent } from '@hone/core/api';
import type { RequestHandler } from 'express';

/** Carries what happens to every page that listens. */
export class EventBus {
  private readonly emitter = new EventEmitter().setMaxListeners(0);

  emit(event: ServerEvent): void {
    this.emitter.emit('event', event);
  }

  /** @returns a function that stops listening */
  listen(listener: (event: ServerEvent) => void): () => void {
    this.emitter.on('event', listener);
    return () => this.emitter.off('event', listener);
  }
}

const KEEP_ALIVE_MS = 15_000;

/** Server-sent events: one JSON object for each. */
export function eventStream(bus: EventBus): RequestHandler {
  return (request, response) => {
    response.writeHead(200, { 'Content-Type': 'text/event-stream', 'Cache-Control': 'no-store' });
    if (request.method === 'HEAD') {
      response.end();
      return;
    }
    response.write('retry: 1000\n\n');
    const stop = bus.listen((event) => response.write(`data: ${JSON.stringify(event)}\n\n`));
    const keepAlive = setInterval(() => response.write(': still here\n\n'), KEEP_ALIVE_MS);
    request.on('close', () => {
      stop();
      clearInterval(keepAlive);
    });
  };
}
