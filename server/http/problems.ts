import { InputError, type Problem } from '@hone/core/api';
import type { ErrorRequestHandler, RequestHandler } from 'express';
import type { Logger } from 'pino';
import { storageProblem } from '../store/storage-problem.js';

/** An error that the user reads unchanged. `detail` names the fault and the remedy. */
export class UserError extends Error {
  override readonly name = 'UserError';

  constructor(
    readonly status: number,
    readonly title: string,
    readonly detail: string,
  ) {
    super(detail);
  }
}

export const notFound = (what: string): UserError =>
  new UserError(404, 'Not found', `${what} is not known. It may have been removed; reload the page.`);

export const nothingHere: RequestHandler = (request) => {
  throw new UserError(
    404,
    'Not found',
    `There is nothing at ${request.originalUrl.split('?')[0]!.slice(0, 200)}.`,
  );
};

/** Converts any error into problem details (RFC 9457). */
export function problemHandler(log: Logger, dataFolder: string): ErrorRequestHandler {
  return (error: unknown, request, response, next) => {
    if (response.headersSent) {
      next(error);
      return;
    }
    const problem = problemOf(error, dataFolder);
    if (problem.status >= 500) log.error({ err: error, path: request.path }, 'request failed');
    response.status(problem.status).type('application/problem+json').send(JSON.stringify(problem));
  };
}

function problemOf(error: unknown, dataFolder: string): Problem {
  const about = (status: number, title: string, detail: string): Problem => ({
    type: 'about:blank',
    title,
    status,
    detail,
  });
  if (error instanceof UserError) return about(error.status, error.title, error.detail);
  if (error instanceof InputError) {
    return { ...about(400, 'Input not understood', error.message), faults: error.faults };
  }
  const ofStorage = storageProblem(error, dataFolder);
  if (ofStorage) return ofStorage;
  const status = (error as { status?: unknown } | null)?.status;
  if (typeof status === 'number' && status >= 400 && status < 500) {
    return about(status, 'Request refused', (error as Error).message);
  }
  return about(
    500,
    'Hone failed',
    'Something went wrong inside Hone. Try again; the log of the server has the details.',
  );
}
