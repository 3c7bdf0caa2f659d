import { setTimeout as sleep } from 'node:timers/promises';
import type { Client } from '@libsql/client';
import { isBusy } from './storage-problem.js';

/** Time for which a statement waits for another process that holds the database. */
const PATIENCE_MS = 4000;
const FIRST_WAIT_MS = 15;
const LONGEST_WAIT_MS = 250;

/**
 * A client that writes one statement after the other, and waits for other processes without holding up this one.
 * Transactions that stay open are refused: with one connection they would lock everybody out; a batch does the same.
 */
export function patient(client: Client): Client {
  let lastWrite: Promise<unknown> = Promise.resolve();

  const inTurn = <T>(statement: () => Promise<T>, isRead: boolean): Promise<T> => {
    if (isRead) return waiting(statement);
    const turn = lastWrite.then(() => waiting(statement));
    lastWrite = turn.catch(() => undefined);
    return turn;
  };

  const patientClient: Pick<Client, 'execute' | 'batch' | 'migrate' | 'executeMultiple'> = {
    execute: (statement: unknown, args?: unknown) => {
      const run = client.execute.bind(client) as (...given: unknown[]) => ReturnType<Client['execute']>;
      const text = typeof statement === 'string' ? statement : (statement as { sql: string }).sql;
      return inTurn(() => run(statement, args), /^\s*select\b/i.test(text));
    },
    batch: (statements, mode) => inTurn(() => client.batch(statements, mode), mode === 'read'),
    migrate: (statements) => inTurn(() => client.migrate(statements), false),
    executeMultiple: (text) => inTurn(() => client.executeMultiple(text), false),
  };
  return {
    ...patientClient,
    // eslint-disable-next-line @typescript-eslint/no-deprecated -- the interface asks for it, and it is refused
    transaction: () => Promise.reject(new Error('Use a batch: this client keeps no transaction open.')),
    sync: () => client.sync(),
    reconnect: () => client.reconnect(),
    close: () => client.close(),
    protocol: client.protocol,
    get closed() {
      return client.closed;
    },
  };
}

async function waiting<T>(statement: () => Promise<T>): Promise<T> {
  const until = performance.now() + PATIENCE_MS;
  for (let waitMs = FIRST_WAIT_MS; ; waitMs = Math.min(LONGEST_WAIT_MS, 2 * waitMs)) {
    try {
      return await statement();
    } catch (error) {
      if (!isBusy(error) || performance.now() + waitMs > until) throw error;
      await sleep(waitMs);
    }
  }
}
