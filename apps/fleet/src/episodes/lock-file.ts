import { isOn, type Placements } from './placement.js';

/** E6: a run that was stopped left its lock file; the next one waits for it in starting, for ever. */
export const LOCK_FILE = '/var/spool/tide/import.lock';
export const IMPORT_MINUTES = 10;

/** What becomes of the import that is due at a moment. */
export function importFate({ E6 }: Placements, due: number): 'well' | 'stopped' | 'stuck' | 'skipped' {
  const every = IMPORT_MINUTES * 60_000;
  if (E6 && due + every > E6.start && due <= E6.start) return 'stopped';
  if (!isOn(E6, due)) return 'well';
  return due - every <= E6.start ? 'stuck' : 'skipped';
}
