import type { Router } from 'express';

interface Layer {
  readonly route?: { readonly path: string; readonly methods: Readonly<Record<string, boolean>> };
  readonly handle?: { readonly stack?: readonly Layer[] };
}

/** Every route of a router and of those within it, as "get /projects/{id}". */
export function routesOf(router: Router, prefix: string): string[] {
  const found: string[] = [];
  const walk = (stack: readonly Layer[]): void => {
    for (const { route, handle } of stack) {
      const path = route && prefix + route.path.replace(/:(\w+)/g, '{$1}');
      for (const method of Object.keys(route?.methods ?? {})) found.push(`${method} ${path}`);
      if (handle?.stack && !route) walk(handle.stack);
    }
  };
  walk((router as unknown as { stack: readonly Layer[] }).stack);
  return found;
}
