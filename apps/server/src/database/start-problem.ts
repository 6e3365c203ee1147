/** What is wrong with a data folder's database at the start. */
export class DatabaseProblem extends Error {}

/** What went wrong at the start, in a sentence with what to do about it. */
export function startProblem(error: unknown, folder?: string): string {
  if (!(error instanceof Error)) return String(error);
  if (error instanceof DatabaseProblem) return error.message;
  const code = codeOf(error);
  const where = folder === undefined ? 'The data folder' : `The data folder ${folder}`;
  switch (code) {
    case 'EACCES':
    case 'EPERM':
    case 'EROFS':
    case 'SQLITE_READONLY':
    case 'SQLITE_CANTOPEN':
      return `${where} can't be written to; give this user the right to, or choose another with FLAIL_DATA.`;
    case 'ENOSPC':
    case 'SQLITE_FULL':
      return `${where} is on a disk that is full; make room, or choose another with FLAIL_DATA.`;
    case 'ENOTDIR':
    case 'EEXIST':
      return `${where} is no folder; choose another with FLAIL_DATA.`;
    case 'SQLITE_NOTADB':
      return `${where} holds a flail.sqlite that is no database of Flail; move it away, or put a backup in its place.`;
    case 'SQLITE_CORRUPT':
      return `${where} holds a database that is damaged; move flail.sqlite away and put a backup in its place, or start anew without it.`;
    case 'SQLITE_BUSY':
      return `${where} holds a database that another program has locked; end that program.`;
    default:
      return error.message;
  }
}

/** The code of an error, or of the one behind it. */
export function codeOf(error: unknown): string {
  const { code, parent, original, cause, message } = error as {
    code?: unknown;
    parent?: unknown;
    original?: unknown;
    cause?: unknown;
    message?: unknown;
  };
  if (typeof code === 'string') return code;
  for (const behind of [parent, original, cause])
    if (behind !== undefined && behind !== error && behind !== null) return codeOf(behind);
  return /SQLITE_[A-Z]+/.exec(String(message))?.[0] ?? '';
}
