import { randomBytes, timingSafeEqual } from 'node:crypto';
import type { Request, RequestHandler } from 'express';
import { UserError } from './problems.js';

const PARAMETER = 'token';

/** A secret of this start, which the printed address carries into the browser. */
export const newToken = (): string => randomBytes(24).toString('base64url');

/**
 * Lets in only browsers that were opened with the printed address. Its token moves into a cookie that scripts cannot
 * read and other sites cannot send, and out of the address.
 * @param portOf cookies do not tell ports apart, so the name of this one does
 */
export function onlyWithToken(token: string, portOf: () => number): RequestHandler {
  return (request, response, next) => {
    const name = `hone-${portOf()}`;
    const given = request.query[PARAMETER];
    if (request.method === 'GET' && typeof given === 'string' && isSame(given, token)) {
      response.cookie(name, token, { httpOnly: true, sameSite: 'strict', path: '/' });
      const url = new URL(request.originalUrl, 'http://hone');
      url.searchParams.delete(PARAMETER);
      response.redirect(303, url.pathname + url.search);
      return;
    }
    if (isSame(cookieOf(request, name), token)) {
      next();
      return;
    }
    throw new UserError(
      401,
      'No token',
      'This Hone is protected by a token. Open the address that it printed when it started.',
    );
  };
}

function cookieOf({ headers }: Request, name: string): string {
  const pairs = (headers.cookie ?? '').split(';').map((pair) => pair.trim().split('='));
  return pairs.find(([key]) => key === name)?.[1] ?? '';
}

function isSame(given: string, token: string): boolean {
  const [a, b] = [Buffer.from(given), Buffer.from(token)];
  return a.length === b.length && timingSafeEqual(a, b);
}
