import { mkdtempSync, rmSync, statSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { openDatabase } from './database.js';
import { databaseFile } from './database-file.js';
import { codeOf, startProblem } from './start-problem.js';

describe('a database that can not be opened', () => {
  let folder: string;
  beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'flail-start-'))));
  afterEach(() => rmSync(folder, { recursive: true, force: true }));

  const said = async (): Promise<string> => {
    try {
      await (await openDatabase(folder)).close();
    } catch (error) {
      return startProblem(error, folder);
    }
    return 'it opens';
  };

  it('is told of in one sentence with what to do', async () => {
    expect(await said()).toBe('it opens');
    const file = databaseFile(folder);
    truncateSync(file, Math.floor(statSync(file).size / 2));
    expect(await said()).toContain('is cut off');
    writeFileSync(file, 'no database '.repeat(10_000));
    expect(await said()).toContain('no database of Flail');
    for (const end of ['-wal', '-shm', '']) rmSync(file + end, { force: true });
    expect(await said()).toBe('it opens');
  });

  it.each([
    ['EROFS', "can't be written to"],
    ['EACCES', "can't be written to"],
    ['ENOSPC', 'full'],
    ['SQLITE_CORRUPT', 'damaged'],
    ['SQLITE_BUSY', 'locked'],
  ])('for %s says: %s', (code, words) => {
    const error = Object.assign(new Error('driver'), { parent: Object.assign(new Error('x'), { code }) });
    expect(startProblem(error, '/data')).toContain(words);
    expect(startProblem(new Error('migration', { cause: error }), '/data')).toContain(words);
  });

  it('with another error says that', () => {
    expect(startProblem(new Error('FLAIL_PORT must be a number.'))).toBe('FLAIL_PORT must be a number.');
    expect(codeOf(new Error('plain'))).toBe('');
  });
});
