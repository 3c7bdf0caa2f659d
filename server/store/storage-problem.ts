import type { Problem } from '@hone/core/api';

interface CodedError {
  readonly code?: unknown;
  readonly path?: unknown;
  readonly cause?: unknown;
}

/** The codes of an error and of what caused it, with the path that the system named. */
function codesOf(error: unknown): { codes: string[]; path: string | undefined } {
  const codes: string[] = [];
  let path: string | undefined;
  let at = error;
  for (let depth = 0; depth < 5 && at !== null && typeof at === 'object'; depth++) {
    const { code, path: named, cause } = at as CodedError;
    if (typeof code === 'string') codes.push(code);
    if (typeof named === 'string') path ??= named;
    at = cause;
  }
  return { codes, path };
}

/** Whether another program holds the database at the moment. */
export const isBusy = (error: unknown): boolean =>
  codesOf(error).codes.some((code) => /^SQLITE_(BUSY|LOCKED)/.test(code));

/**
 * What a fault of the storage is for people, as problem details (RFC 9457): 507 when a drive is full, 503 when it cannot
 * be written or read for the time being.
 * @param dataFolder the folder that is named where the system named none
 * @returns undefined when the error is no fault of the storage
 */
export function storageProblem(error: unknown, dataFolder: string): Problem | undefined {
  const { codes, path } = codesOf(error);
  const place = path ?? dataFolder;
  const is = (pattern: RegExp): boolean => codes.some((code) => pattern.test(code));
  const problem = (status: number, title: string, detail: string): Problem => ({
    type: 'about:blank',
    ...{ title, status, detail },
  });
  if (is(/^(ENOSPC|EDQUOT|SQLITE_FULL)/)) {
    return problem(
      507,
      'No space left',
      `There is no space left at ${place}, so this was not saved. Free some space there, then do it again.`,
    );
  }
  if (is(/^SQLITE_(BUSY|LOCKED)/)) {
    return problem(
      503,
      'Database busy',
      `Another program holds the database in ${dataFolder}, so this was not saved. Close that program, then do it again.`,
    );
  }
  if (is(/^(EROFS|SQLITE_READONLY)/)) {
    return problem(
      503,
      'Storage is read-only',
      `${place} cannot be written to, so this was not saved. Make it writable, or start Hone with another folder in HONE_DATA.`,
    );
  }
  if (is(/^SQLITE_(CORRUPT|NOTADB)/)) {
    return problem(
      503,
      'Database damaged',
      `The database in ${dataFolder} is damaged. Stop Hone and start it again: it then offers its last backup.`,
    );
  }
  if (is(/^(EIO|SQLITE_IOERR|SQLITE_CANTOPEN|EACCES|EPERM)/)) {
    return problem(
      503,
      'Storage not usable',
      `${place} could not be read or written (${codes[0]}). Check its drive and its permissions, then do it again.`,
    );
  }
  if (is(/^(EMFILE|ENFILE)/)) {
    return problem(
      503,
      'Too many open files',
      'The system opens no more files. Wait a moment, then do it again.',
    );
  }
  return undefined;
}
