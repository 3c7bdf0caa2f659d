import { randomBytes } from 'node:crypto';
import type { RequestHandler } from 'express';
import helmet from 'helmet';
import { UserError } from './problems.js';

/**
 * Lets in only the page that this server itself delivers. A page elsewhere could otherwise reach a loopback server
 * through the browser, by a name that it points at this machine (Host) or by a request across origins (Origin).
 */
export function onlyOwnPage(portOf: () => number, extraOrigin?: string): RequestHandler {
  return (request, _response, next) => {
    const port = portOf();
    const hosts = [`127.0.0.1:${port}`, `localhost:${port}`];
    if (!hosts.includes(request.headers.host ?? '')) {
      throw new UserError(403, 'Wrong address', `Open Hone at http://127.0.0.1:${port}.`);
    }
    const origins = [...hosts.map((host) => `http://${host}`), ...(extraOrigin ? [extraOrigin] : [])];
    const { origin } = request.headers;
    const site = request.headers['sec-fetch-site'];
    const foreign = origin !== undefined && !origins.includes(origin);
    const fromDevelopment = extraOrigin !== undefined && origin === extraOrigin;
    const across = site !== undefined && site !== 'same-origin' && site !== 'none' && !fromDevelopment;
    const isNavigation = request.method === 'GET' && request.headers['sec-fetch-mode'] === 'navigate';
    if (foreign || (across && !isNavigation)) {
      throw new UserError(
        403,
        'Wrong origin',
        'Only the page that Hone itself delivers may use this server.',
      );
    }
    next();
  };
}

/** Headers for foreign files: nothing in them runs or loads anything. */
export const sandboxed: RequestHandler = (_request, response, next) => {
  response.set(
    'Content-Security-Policy',
    "sandbox; default-src 'none'; media-src 'self'; style-src 'unsafe-inline'",
  );
  next();
};

const nonces = new WeakMap<object, string>();

/** Nonce of a reply's content policy, for the styles of its page. */
export const nonceOf = (response: object): string => nonces.get(response) ?? '';

/** Headers that every reply carries: a strict content policy, and isolation, so that workers may share memory. */
export function securityHeaders(): RequestHandler[] {
  const nonce: RequestHandler = (_request, response, next) => {
    nonces.set(response, randomBytes(16).toString('base64'));
    next();
  };
  const headers = helmet({
    contentSecurityPolicy: {
      useDefaults: false,
      directives: {
        defaultSrc: ["'none'"],
        scriptSrc: ["'self'", "'wasm-unsafe-eval'"],
        styleSrc: ["'self'", (_request, response) => `'nonce-${nonceOf(response)}'`],
        fontSrc: ["'self'"],
        imgSrc: ["'self'", 'data:'],
        mediaSrc: ["'self'"],
        connectSrc: ["'self'"],
        workerSrc: ["'self'"],
        baseUri: ["'self'"],
        formAction: ["'none'"],
        frameAncestors: ["'none'"],
      },
    },
    crossOriginOpenerPolicy: { policy: 'same-origin' },
    crossOriginEmbedderPolicy: { policy: 'require-corp' },
    crossOriginResourcePolicy: { policy: 'same-origin' },
    strictTransportSecurity: false,
  });
  return [nonce, headers];
}
