import { ROUTES } from '@hone/core/api';
import { json, type RequestHandler } from 'express';
import { UserError } from './problems.js';

/** Time without a byte of a body after which its request is given up. The whole may take as long as it takes. */
export const BODY_IDLE_MS = 60_000;

/** Ends requests whose body stops arriving; slow ones may take any time. */
export function idleBodies(idleMs = BODY_IDLE_MS): RequestHandler {
  return (request, response, next) => {
    if (request.complete || request.method === 'GET' || request.method === 'HEAD') {
      next();
      return;
    }
    const giveUp = (): void => {
      const problem = {
        type: 'about:blank',
        title: 'Request cut off',
        status: 408,
        detail: `Nothing of the request arrived for ${Math.round(idleMs / 1000)} s, so it was given up. Send it again.`,
      };
      if (!response.headersSent) {
        response.set('Connection', 'close').status(408).type('application/problem+json');
        response.end(JSON.stringify(problem));
      }
      request.destroy();
    };
    const { socket } = request;
    let [read, since] = [socket.bytesRead, performance.now()];
    const timer = setInterval(() => {
      // A request without a body is complete, though it is never read to its end; its answer may take long.
      if (request.complete) stop();
      else if (socket.bytesRead !== read) [read, since] = [socket.bytesRead, performance.now()];
      else if (performance.now() - since > idleMs) giveUp();
    }, idleMs / 4);
    const stop = (): void => clearInterval(timer);
    request.once('end', stop).once('close', stop);
    response.once('close', stop);
    next();
  };
}

/** Levels of nested lists and objects; deeper bodies are attacks on recursive readers. */
const DEEPEST = 200;

/** Reads a JSON body of at most so many bytes. @throws UserError when it is nested too deeply */
export const jsonBody = (limit: string): ReturnType<typeof json> =>
  json({
    limit,
    verify: (_request, _response, bytes) => {
      if (depthOf(bytes) <= DEEPEST) return;
      throw new UserError(
        400,
        'Input not understood',
        `The request has more than ${DEEPEST} levels. Send it flatter.`,
      );
    },
  });

/** Nesting depth of the lists and objects of a JSON text. */
export function depthOf(bytes: Uint8Array): number {
  const [QUOTE, BACKSLASH] = [0x22, 0x5c];
  let [depth, deepest, isText] = [0, 0, false];
  for (let at = 0; at < bytes.length; at++) {
    const byte = bytes[at]!;
    if (isText) {
      if (byte === BACKSLASH) at++;
      else if (byte === QUOTE) isText = false;
    } else if (byte === QUOTE) isText = true;
    else if (byte === 0x5b || byte === 0x7b) deepest = Math.max(deepest, ++depth);
    else if (byte === 0x5d || byte === 0x7d) depth--;
  }
  return deepest;
}

const ROUTE_PATTERNS = ROUTES.map((route) => ({
  ...route,
  pattern: new RegExp(`^${route.path.replace(/\{\w+\}/g, '[^/]+')}$`),
}));

/** The media type that a route takes; undefined when it takes no body, or bytes of any type. */
function bodyTypeOf(method: string, path: string): string | undefined {
  const route = ROUTE_PATTERNS.find((each) => each.method === method && each.pattern.test(path));
  if (route?.body === undefined || route.body === 'application/octet-stream') return undefined;
  return typeof route.body === 'string' ? route.body : 'application/json';
}

/** Refuses bodies of another type than the route takes, which would otherwise pass as empty. */
export const onlyDescribedTypes: RequestHandler = (request, _response, next) => {
  const wanted = bodyTypeOf(request.method.toLowerCase(), request.baseUrl + request.path);
  const { headers } = request;
  const hasBody = headers['transfer-encoding'] !== undefined || Number(headers['content-length'] ?? 0) > 0;
  if (wanted !== undefined && hasBody && !request.is(wanted)) {
    const given = headers['content-type'];
    const found = given ? `was sent as ${given}` : 'was sent without a type';
    throw new UserError(415, 'Wrong type', `This request ${found}. Send it as ${wanted}.`);
  }
  next();
};
