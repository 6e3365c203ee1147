import type { ChangeBody } from '@flail/contract';

/** Changes that stand at one place of the timeband. */
export interface Flag {
  /** Pixels from the left. */
  at: number;
  changes: ChangeBody[];
}

/** Flags nearer to each other than this can't be told apart, nor hit. */
const NEAREST = 9;

/** Gathers changes that are drawn close together into one flag, which stands where the first does. */
export function flagsOf(changes: readonly ChangeBody[], x: (moment: number) => number): Flag[] {
  const flags: Flag[] = [];
  for (const change of [...changes].sort((a, b) => (a.time < b.time ? -1 : 1))) {
    const at = x(Date.parse(change.time));
    const last = flags.at(-1);
    if (last && at - last.at < NEAREST) last.changes.push(change);
    else flags.push({ at, changes: [change] });
  }
  return flags;
}
