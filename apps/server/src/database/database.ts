import { mkdirSync } from 'node:fs';
import { Sequelize } from 'sequelize-typescript';
import { SequelizeStorage, Umzug } from 'umzug';
import { databaseFile } from './database-file.js';
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
import { MODELS } from './models.js';

/** Opens the database of a data folder, made and brought up to date where needed. */
export async function openDatabase(data: string): Promise<Sequelize> {
  mkdirSync(data, { recursive: true });
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
  await new Umzug({
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
    ],
    context: database.getQueryInterface(),
    storage: new SequelizeStorage({ sequelize: database }),
    logger: undefined,
  }).up();
  return database;
}
