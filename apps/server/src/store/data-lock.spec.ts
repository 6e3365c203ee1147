import { existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
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
});
