import { join } from 'node:path';

/** The database file of a data folder. */
export const databaseFile = (data: string): string => join(data, 'flail.sqlite');
