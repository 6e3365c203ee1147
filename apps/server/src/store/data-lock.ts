import { closeSync, mkdirSync, openSync, readFileSync, rmSync, statSync, writeSync } from 'node:fs';
import { join } from 'node:path';

/** Another process writes to the data folder. */
export class FolderInUseError extends Error {
  constructor(folder: string, pid: number) {
    super(
      `The data folder ${folder} is in use by another Flail (process ${pid}). End it first, or choose another folder.`,
    );
  }
}

/** Who holds a folder: the process, and when it began where the system tells, since numbers of processes come again. */
interface Holder {
  pid: number;
  began?: string;
}

/** Takes a data folder for this process alone; returns what gives it back. A lock whose process is gone counts for nothing. */
export function lockFolder(folder: string): () => void {
  mkdirSync(folder, { recursive: true });
  const file = join(folder, 'flail.lock');
  for (let attempt = 0; ; attempt++) {
    try {
      const lock = openSync(file, 'wx');
      writeSync(lock, [process.pid, beganOf(process.pid) ?? ''].join(' ').trim());
      closeSync(lock);
      const release = (): void => rmSync(file, { force: true });
      process.once('exit', release);
      return () => {
        process.off('exit', release);
        release();
      };
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST' || attempt > 2) throw error;
      const holder = holderOf(file);
      if (holder && holder.pid !== process.pid && holds(holder, file))
        throw new FolderInUseError(folder, holder.pid);
      rmSync(file, { force: true });
    }
  }
}

function holderOf(file: string): Holder | undefined {
  try {
    const [number, began] = readFileSync(file, 'utf8').trim().split(' ');
    const pid = Number(number);
    if (!Number.isInteger(pid) || pid <= 0) return undefined;
    return { pid, ...(began !== undefined && { began }) };
  } catch {
    // It was given back in this moment.
    return undefined;
  }
}

/** True while the process that took a lock lives. */
function holds({ pid, began }: Holder, file: string): boolean {
  if (!isAlive(pid)) return false;
  const now = beganOf(pid);
  if (now === undefined) return true;
  if (began !== undefined) return began === now;
  // Earlier versions did not write down when they began: a process that began after its lock did not take it.
  return startOf(now) <= statSync(file).mtimeMs + 1000;
}

/** When a process began, in ticks since the system did; undefined where the system does not tell. */
function beganOf(pid: number): string | undefined {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'latin1');
    // The name of the program is in brackets, and may hold anything.
    return stat.slice(stat.lastIndexOf(')') + 2).split(' ')[19];
  } catch {
    return undefined;
  }
}

const TICKS_PER_SECOND = 100;

/** The same in milliseconds since 1970. */
function startOf(ticks: string): number {
  const booted = Number(/^btime (\d+)/m.exec(readFileSync('/proc/stat', 'latin1'))?.[1] ?? 0);
  return booted * 1000 + (Number(ticks) / TICKS_PER_SECOND) * 1000;
}

function isAlive(pid: number): boolean {
  try {
    process.kill(pid, 0);
    return true;
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'EPERM';
  }
}
