import { readFile } from 'node:fs/promises';

/** Tables of the system's sockets for datagrams. */
const TABLES = ['/proc/net/udp', '/proc/net/udp6'];

/**
 * Datagrams to a port that the system had no room to keep until they were read, since its socket was opened;
 * undefined where the system does not tell.
 */
export async function datagramLosses(port: number): Promise<number | undefined> {
  let losses: number | undefined;
  for (const table of TABLES) {
    const text = await readFile(table, 'latin1').catch(() => '');
    for (const line of text.split('\n').slice(1)) {
      const columns = line.trim().split(/\s+/);
      const own = /:([\dA-F]{4})$/.exec(columns[1] ?? '')?.[1];
      if (own === undefined || parseInt(own, 16) !== port) continue;
      losses = (losses ?? 0) + Number(columns.at(-1));
    }
  }
  return losses;
}
