import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import express, { urlencoded, type Express } from 'express';
import { pino } from 'pino';
import type { Config } from './config.js';
import { onlyOwnPage } from './http/guard.js';
import { onlyOwner } from './http/owner.js';
import { problemHandler, UserError } from './http/problems.js';
import { backupsOf, restoreBackup, type Backup } from './store/backups.js';

/** A page that offers the backups of a damaged database. */
export interface Recovery {
  readonly url: string;
  /** Resolves when a backup was put in place, with the path under which the damaged database is kept. */
  readonly restored: Promise<string>;
  stop(): Promise<void>;
}

const escaped = (text: string): string =>
  text.replace(/[&<>"]/g, (sign) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[sign]!);

const STYLE = `body{font:16px/1.5 system-ui,sans-serif;max-width:40rem;margin:3rem auto;padding:0 1rem;color:#1c1c1c;background:#f4f4f4}
button{font:inherit;padding:.4rem .8rem;margin:.25rem 0}li{margin:.25rem 0}`;

function page(damage: string, backups: readonly Backup[]): string {
  const rows = backups.map(
    ({ id, madeAt, bytes }) =>
      `<li><button name="backup" value="${escaped(id)}">Restore the backup of ${escaped(madeAt)}</button> ${(bytes / 1e6).toFixed(1)} MB</li>`,
  );
  const offered = rows.length
    ? `<p>Choose the backup to go on with. Changes made after it are lost.</p><ul>${rows.join('')}</ul>`
    : '<p>There is no backup yet.</p>';
  return `<!doctype html><html lang="en"><meta charset="utf-8"><title>Hone: database damaged</title><style>${STYLE}</style>
<h1>The database is damaged</h1><p>${escaped(damage)} Media, light copies and exports are not affected.</p>
<form method="post" action="/">${offered}
<p><button name="backup" value="">Start with an empty database</button></p></form>
<p>The damaged database is kept beside the new one in either case.</p></html>`;
}

/**
 * Offers the backups of a damaged database at the address at which Hone would be.
 * @param damage description of the damage, in a sentence
 */
export async function offerRecovery(config: Config, damage: string): Promise<Recovery> {
  let { port } = config;
  let restore: (kept: string) => void = () => undefined;
  const restored = new Promise<string>((resolve) => (restore = resolve));
  const app: Express = express();
  app.disable('x-powered-by');
  app.use(
    onlyOwner(),
    onlyOwnPage(() => port, config.extraOrigin),
  );
  app.use((_request, response, next) => {
    response.set({
      'Content-Security-Policy':
        "default-src 'none'; style-src 'unsafe-inline'; form-action 'self'; frame-ancestors 'none'",
      'Cache-Control': 'no-store',
      'X-Content-Type-Options': 'nosniff',
    });
    next();
  });
  app.get('/', async (_request, response) => {
    response.type('html').send(page(damage, await backupsOf(config.dataFolder)));
  });
  app.post('/', urlencoded({ extended: false, limit: '10kb' }), async (request, response) => {
    const { backup } = (request.body ?? {}) as { backup?: unknown };
    if (typeof backup !== 'string') throw new UserError(400, 'No choice', 'Choose one of the backups.');
    const kept = await restoreBackup(config.dataFolder, backup || null);
    response.set('Refresh', '3; url=/').type('html');
    response.send('<!doctype html><meta charset="utf-8"><title>Hone</title><p>Hone starts …</p>');
    response.once('close', () => restore(kept));
  });
  app.use((_request, response) => void response.redirect(303, '/'));
  app.use(problemHandler(pino({ level: config.logLevel }), config.dataFolder));
  const server = createServer(app);
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, '127.0.0.1', resolve);
  });
  port = (server.address() as AddressInfo).port;
  return {
    url: `http://127.0.0.1:${port}`,
    restored,
    stop: async () => {
      server.closeAllConnections();
      await new Promise((resolve) => server.close(resolve));
    },
  };
}
