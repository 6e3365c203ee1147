import { codeOf } from '../database/start-problem.js';
import { Problem } from './problem.js';

/** Seconds after which it is worth while to try again. */
const RETRY_AFTER = 30;

/** What to tell somebody whose request the disk or the database failed; undefined where neither did. */
export function storeProblem(error: unknown): Problem | undefined {
  if (error instanceof Problem) return undefined;
  switch (codeOf(error)) {
    case 'ENOSPC':
    case 'SQLITE_FULL':
      return new Problem(
        503,
        'disk-full',
        'The disk is full',
        'There is no room on the disk of the data folder; nothing of this was stored. Make room, and send it again.',
        { retryAfter: RETRY_AFTER },
      );
    case 'SQLITE_READONLY':
    case 'SQLITE_CANTOPEN':
    case 'SQLITE_IOERR':
    case 'EROFS':
    case 'EIO':
      return new Problem(
        503,
        'not-stored',
        'Not stored',
        'The data folder can not be written to; nothing of this was stored. See to its disk and its rights, and send it again.',
        { retryAfter: RETRY_AFTER },
      );
    case 'SQLITE_BUSY':
      return new Problem(
        503,
        'busy',
        'The store is busy',
        'Another program has locked the database; nothing of this was stored. Send it again in a moment.',
        { retryAfter: 5 },
      );
    case 'SQLITE_CORRUPT':
    case 'SQLITE_NOTADB':
      return new Problem(
        500,
        'damaged-store',
        'The store is damaged',
        'A part of the database can not be read. "flail check" tells what is left; put a backup in its place.',
      );
    default:
      return undefined;
  }
}
