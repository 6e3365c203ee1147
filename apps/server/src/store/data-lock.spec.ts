import { existsSync, mkdtempSync, rmSync, utimesSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { FolderInUseError, lockFolder } from './data-lock.js';

describe('a data folder', () => {
  let folder: string;
  beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'flail-lock-'))));
  afterEach(() => rmSync(folder, { recursive: true }));
  const file = (): string => join(folder, 'flail.lock');

  it('is held by one process, and given back', () => {
    const release = lockFolder(folder);
    expect(existsSync(file())).toBe(true);
    release();
    expect(existsSync(file())).toBe(false);
  });

  it('is refused while another process lives that holds it', () => {
    writeFileSync(file(), String(process.ppid));
    expect(() => lockFolder(folder)).toThrow(FolderInUseError);
  });

  it.each(['2147483646', 'nonsense', ''])('is taken over from a holder that is gone (%j)', (holder) => {
    writeFileSync(file(), holder);
    lockFolder(folder)();
    expect(existsSync(file())).toBe(false);
  });

  (existsSync('/proc/self/stat') ? it : it.skip)(
    'is taken over from a holder whose number now belongs to another process',
    () => {
      // The parent lives, but did not begin then.
      writeFileSync(file(), `${process.ppid} 1`);
      lockFolder(folder)();
      // Earlier versions did not write down when they began; a lock older than its process is none.
      writeFileSync(file(), String(process.ppid));
      utimesSync(file(), 1, 1);
      lockFolder(folder)();
      expect(existsSync(file())).toBe(false);
    },
  );
});
