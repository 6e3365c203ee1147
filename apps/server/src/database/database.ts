import { closeSync, existsSync, fstatSync, mkdirSync, openSync, readSync } from 'node:fs';
import { Sequelize } from 'sequelize-typescript';
import { SequelizeStorage, Umzug } from 'umzug';
import { databaseFile } from './database-file.js';
import { DatabaseProblem } from './start-problem.js';
import { migration as store } from './migrations/001-store.js';
import { migration as rules } from './migrations/002-rules.js';
import { migration as chunks } from './migrations/003-chunks.js';
import { migration as retention } from './migrations/004-retention.js';
import { migration as signals } from './migrations/005-signals.js';
import { migration as bundles } from './migrations/006-bundles.js';
import { migration as keptWork } from './migrations/007-kept-work.js';
import { migration as objectives } from './migrations/008-objectives.js';
import { migration as caseContents } from './migrations/009-case-contents.js';
import { migration as keptCohorts } from './migrations/010-kept-cohorts.js';
import { migration as heads } from './migrations/011-heads.js';
import { MODELS } from './models.js';

/** Opens the database of a data folder, made and brought up to date where needed. */
export async function openDatabase(data: string): Promise<Sequelize> {
  mkdirSync(data, { recursive: true });
  refuseCutOff(databaseFile(data));
  const database = new Sequelize({
    dialect: 'sqlite',
    storage: databaseFile(data),
    logging: false,
    models: MODELS,
    // Writes come one after another (see WriteQueue); a lock can only be a reader's checkpoint.
    retry: { max: 5, match: [/SQLITE_BUSY/] },
  });
  await database.query('PRAGMA page_size = 16384');
  await database.query('PRAGMA journal_mode = WAL');
  const migrations = new Umzug({
    migrations: [
      store,
      rules,
      chunks,
      retention,
      signals,
      bundles,
      keptWork,
      objectives,
      caseContents,
      keptCohorts,
      heads,
    ],
    context: database.getQueryInterface(),
    storage: new SequelizeStorage({ sequelize: database }),
    logger: undefined,
  });
  // All of it or nothing: one that ends in the middle would find half of it when it starts again.
  await database.query('BEGIN IMMEDIATE');
  try {
    await migrations.up();
    await database.query('COMMIT');
  } catch (error) {
    await database.query('ROLLBACK');
    throw error;
  }
  return database;
}

/** Where SQLite's header tells the size of a page, and how many there are. */
const HEADER = { length: 100, pageSize: 16, changes: 24, pages: 28, changesOfPages: 92 };

/** Refuses a database file that is shorter than it says of itself: what is missing would be found one by one, by whoever asks. */
function refuseCutOff(file: string): void {
  if (!existsSync(file)) return;
  const handle = openSync(file, 'r');
  try {
    const header = Buffer.alloc(HEADER.length);
    if (readSync(handle, header, 0, HEADER.length, 0) < HEADER.length) return;
    if (header.toString('latin1', 0, 15) !== 'SQLite format 3') return;
    // The number of pages counts only where it was written last with the file.
    if (header.readUInt32BE(HEADER.changes) !== header.readUInt32BE(HEADER.changesOfPages)) return;
    const stored = header.readUInt16BE(HEADER.pageSize);
    const wanted = (stored === 1 ? 65_536 : stored) * header.readUInt32BE(HEADER.pages);
    const { size } = fstatSync(handle);
    if (size < wanted)
      throw new DatabaseProblem(
        `The database ${file} is cut off: it has ${size} of its ${wanted} bytes. Put a backup in its place, or move it away to start anew.`,
      );
  } finally {
    closeSync(handle);
  }
}
