import { convertSchema } from '@sodaru/yup-to-json-schema';
import type { Schema } from 'yup';
import { problemReply } from './replies.js';
import { ROUTES, type RouteDescription } from './routes.js';

type Json = Record<string, unknown>;

/** A Yup schema as JSON Schema. What may be anything gets no type, and defaults of Yup's own are left out. */
function jsonSchema(schema: Schema): Json {
  return cleaned(convertSchema(schema as Parameters<typeof convertSchema>[0])) as Json;
}

function cleaned(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(cleaned);
  if (value === null || typeof value !== 'object') return value;
  const entries = Object.entries(value).flatMap(([key, each]) => {
    const isEmptyType = key === 'type' && Array.isArray(each) && each.length === 0;
    return isEmptyType || key === 'default' ? [] : [[key, cleaned(each)] as const];
  });
  return Object.fromEntries(entries);
}

const contentOf = (what: Schema | string): Json =>
  typeof what === 'string' ? { [what]: {} } : { 'application/json': { schema: jsonSchema(what) } };

function operationOf({ path, summary, body, reply, status, query = [] }: RouteDescription): Json {
  const inPath = [...path.matchAll(/\{(\w+)\}/g)].map(([, name]) => ({
    name,
    in: 'path',
    required: true,
    schema: { type: 'string' },
  }));
  const inQuery = query.map((name) => ({ name, in: 'query', schema: { type: 'string' } }));
  return {
    summary,
    parameters: [...inPath, ...inQuery],
    ...(body === undefined ? {} : { requestBody: { required: true, content: contentOf(body) } }),
    responses: {
      [status]: { description: summary, ...(reply === null ? {} : { content: contentOf(reply) }) },
      default: { $ref: '#/components/responses/Problem' },
    },
  };
}

/** The description of all routes, as OpenAPI 3.1 lays it out. */
export function openApi(): Json {
  const paths: Record<string, Json> = {};
  for (const route of ROUTES)
    paths[route.path] = { ...paths[route.path], [route.method]: operationOf(route) };
  return {
    openapi: '3.1.0',
    info: {
      title: 'Hone',
      version: '0.1.0',
      description: 'The server of Hone. It answers on the loopback address only, and only to its own page.',
    },
    paths,
    components: {
      responses: {
        Problem: {
          description: 'What went wrong and what to do (RFC 9457)',
          content: { 'application/problem+json': { schema: jsonSchema(problemReply) } },
        },
      },
    },
  };
}
