import { ValidationError, type Schema } from 'yup';
import { ROUTES } from './routes.js';

interface Checked {
  readonly method: string;
  readonly path: RegExp;
  readonly reply: Schema;
}

const CHECKED: readonly Checked[] = ROUTES.flatMap(({ method, path, reply }) =>
  reply === null || typeof reply === 'string'
    ? []
    : [{ method, path: new RegExp(`^${path.replace(/\{\w+\}/g, '[^/]+')}$`), reply }],
);

/**
 * The first fault of a reply, by the schema of its route.
 * @param method in lower case @param path without its query
 * @returns undefined for a valid reply, and for a route without JSON
 */
export function replyFault(method: string, path: string, reply: unknown): string | undefined {
  const route = CHECKED.find((each) => each.method === method && each.path.test(path));
  try {
    route?.reply.validateSync(reply, { strict: true });
    return undefined;
  } catch (error) {
    if (error instanceof ValidationError) return error.errors[0];
    throw error;
  }
}
