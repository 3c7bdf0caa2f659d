import { readFile } from 'node:fs/promises';
import type { Socket } from 'node:net';
import type { RequestHandler } from 'express';
import { UserError } from './problems.js';

/** Size of the fields of /proc/net/tcp (proc(5)) that are read here. */
const LOCAL = 1;
const REMOTE = 2;
const UID = 7;

/**
 * The user who holds the other end of a connection of this machine to itself.
 * @param text what /proc/net/tcp or tcp6 holds
 * @returns undefined when the connection is not listed
 */
export function userOf(text: string, clientPort: number, serverPort: number): number | undefined {
  const hex = (port: number): string => port.toString(16).toUpperCase().padStart(4, '0');
  const [client, server] = [hex(clientPort), hex(serverPort)];
  for (const line of text.split('\n').slice(1)) {
    const fields = line.trim().split(/\s+/);
    const [local, remote] = [fields[LOCAL], fields[REMOTE]];
    if (local?.endsWith(`:${client}`) && remote?.endsWith(`:${server}`)) return Number(fields[UID]);
  }
  return undefined;
}

async function clientUser({ remotePort, localPort }: Socket): Promise<number | undefined> {
  if (!remotePort || !localPort) return undefined;
  for (const name of ['/proc/net/tcp', '/proc/net/tcp6']) {
    const user = userOf(await readFile(name, 'utf8').catch(() => ''), remotePort, localPort);
    if (user !== undefined) return user;
  }
  return undefined;
}

/**
 * Refuses connections of other users of this machine where the system tells whose they are (Linux). Elsewhere, and where
 * it does not tell, all are let through; `HONE_TOKEN=on` is for such machines.
 */
export function onlyOwner(own = process.getuid?.()): RequestHandler {
  // A connection keeps its owner, and a page keeps its connections.
  const known = new WeakMap<Socket, Promise<number | undefined>>();
  return async ({ socket }, _response, next) => {
    if (own === undefined) {
      next();
      return;
    }
    const user = known.get(socket) ?? clientUser(socket);
    known.set(socket, user);
    const found = await user;
    if (found !== undefined && found !== own) {
      throw new UserError(
        403,
        'Another user',
        'Hone answers only the user of this machine who started it. Start a Hone of your own.',
      );
    }
    next();
  };
}
