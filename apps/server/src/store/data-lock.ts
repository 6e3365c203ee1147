import { closeSync, mkdirSync, openSync, readFileSync, rmSync, writeSync } from 'node:fs';
import { join } from 'node:path';

/** Another process writes to the data folder. */
export class FolderInUseError extends Error {
  constructor(folder: string, pid: number) {
    super(
      `The data folder ${folder} is in use by another Flail (process ${pid}). End it first, or choose another folder.`,
    );
  }
}

/** Takes a data folder for this process alone; returns what gives it back. A lock whose process is gone counts for nothing. */
export function lockFolder(folder: string): () => void {
  mkdirSync(folder, { recursive: true });
  const file = join(folder, 'flail.lock');
  for (let attempt = 0; ; attempt++) {
    try {
      const lock = openSync(file, 'wx');
      writeSync(lock, String(process.pid));
      closeSync(lock);
      const release = (): void => rmSync(file, { force: true });
      process.once('exit', release);
      return () => {
        process.off('exit', release);
        release();
      };
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST' || attempt > 2) throw error;
      const pid = holderOf(file);
      if (pid !== undefined && pid !== process.pid && isAlive(pid)) throw new FolderInUseError(folder, pid);
      rmSync(file, { force: true });
    }
  }
}

function holderOf(file: string): number | undefined {
  try {
    const pid = Number(readFileSync(file, 'utf8'));
    return Number.isInteger(pid) && pid > 0 ? pid : undefined;
  } catch {
    // It was given back in this moment.
    return undefined;
  }
}

function isAlive(pid: number): boolean {
  try {
    process.kill(pid, 0);
    return true;
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'EPERM';
  }
}
