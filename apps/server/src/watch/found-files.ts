import type { BigIntStats } from 'node:fs';
import { readdir, stat } from 'node:fs/promises';
import { join } from 'node:path';

/** A file that is there, where it leads if it is a link. */
export interface FoundFile {
  /** From the folder on, as it is named there. */
  path: string;
  link: boolean;
  stats: BigIntStats;
}

const PACKED = /\.(?:gz|xz|bz2|zst|zip)$/;
/** Folders within one another, at most. */
const MOST_DEPTH = 16;
/** Files that are looked at side by side. */
const AT_ONCE = 64;

/**
 * The files of a folder and of those in it, links followed: each file and each folder once, however many links lead
 * to it, so that links in a circle come to an end. Hidden and packed files are left alone; of several names of a file
 * that which is no link counts.
 */
export async function foundFiles(folder: string): Promise<FoundFile[]> {
  const visited = new Set<string>();
  const paths: { path: string; link: boolean }[] = [];
  const visit = async (path: string, depth: number): Promise<void> => {
    const absolute = join(folder, path);
    const own = await stat(absolute, { bigint: true }).catch(() => undefined);
    const place = own && `${own.dev}/${own.ino}`;
    if (!own?.isDirectory() || visited.has(place!)) return;
    visited.add(place!);
    // A folder that this user may not read is as good as none.
    const entries = await readdir(absolute, { withFileTypes: true }).catch((error: unknown) => {
      if (depth === 0) throw error;
      return [];
    });
    for (const entry of entries) {
      if (entry.name.startsWith('.')) continue;
      const child = path === '' ? entry.name : `${path}/${entry.name}`;
      const link = entry.isSymbolicLink();
      if (entry.isDirectory() || link) {
        if (depth < MOST_DEPTH) await visit(child, depth + 1);
      }
      if ((entry.isFile() || link) && !PACKED.test(entry.name)) paths.push({ path: child, link });
    }
  };
  await visit('', 0);
  const found = new Map<string, FoundFile>();
  for (let at = 0; at < paths.length; at += AT_ONCE) {
    const some = paths.slice(at, at + AT_ONCE);
    const stats = await Promise.all(
      some.map(({ path }) => stat(join(folder, path), { bigint: true }).catch(() => undefined)),
    );
    some.forEach((one, index) => {
      const own = stats[index];
      if (!own?.isFile()) return;
      const place = `${own.dev}/${own.ino}`;
      const known = found.get(place);
      if (!known || (known.link && !one.link)) found.set(place, { ...one, stats: own });
    });
  }
  return [...found.values()];
}
