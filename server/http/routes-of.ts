import type { IRouter, Router } from 'express';

type Layer = IRouter['stack'][number];

/** Every route of a router and of those within it, as "get /projects/{id}". */
export function routesOf(router: Router, prefix: string): string[] {
  const found: string[] = [];
  const walk = (stack: readonly Layer[]): void => {
    for (const { route, handle } of stack) {
      if (route) {
        const path = prefix + route.path.replace(/:(\w+)/g, '{$1}');
        for (const method of new Set(route.stack.map((each) => each.method))) found.push(`${method} ${path}`);
      } else if (isRouter(handle)) walk(handle.stack);
    }
  };
  walk(router.stack);
  return found;
}

const isRouter = (handle: object): handle is Pick<IRouter, 'stack'> =>
  'stack' in handle && Array.isArray(handle.stack);
