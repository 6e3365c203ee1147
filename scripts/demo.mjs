// npm run demo [-- --fresh] [--seed NAME] [--now MOMENT] [--scale N] [--no-live]
// Starts the server with the data of the made-up ferry operator: eight days of history, then live.
import { setPriority } from 'node:os';
import { existsSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { endTogether, start, startServer } from './server.mjs';
import { prepare, root } from './setup.mjs';

const LONGEST_GAP_MS = 3_600_000;

const args = process.argv.slice(2);
const valueOf = (name) => (args.includes(name) ? args[args.indexOf(name) + 1] : undefined);
if (args.includes('--help')) {
  console.log(
    'npm run demo -- [--fresh] [--seed NAME] [--now MOMENT] [--scale N] [--no-live]\n  --fresh  make the data anew (done by itself after a pause of more than an hour)',
  );
  process.exit(0);
}

prepare();

const data = process.env.FLAIL_DATA ?? join(root, 'data/demo');
const port = process.env.FLAIL_PORT ?? '4180';

/** Kept data are gone on with when they are of the same demo and not too old. */
function canGoOn() {
  try {
    const state = JSON.parse(readFileSync(join(data, 'fleet.json'), 'utf8'));
    const wanted = { seed: valueOf('--seed') ?? 'demo', scale: Number(valueOf('--scale') ?? 1) };
    return (
      state.seed === wanted.seed &&
      state.scale === wanted.scale &&
      !args.includes('--now') &&
      Date.now() - state.until < LONGEST_GAP_MS
    );
  } catch {
    return false;
  }
}

if (args.includes('--fresh') || !canGoOn()) {
  for (const name of ['flail.sqlite', 'flail.sqlite-wal', 'flail.sqlite-shm', 'fleet.json', 'truth.json']) {
    if (existsSync(join(data, name))) rmSync(join(data, name));
  }
}

const standIns = valueOf('--stand-ins') ?? '4191';
const { server, url } = await startServer({
  FLAIL_DATA: data,
  FLAIL_PORT: port,
  ...(standIns !== '0' && {
    FLAIL_SCHEDULER: `http://127.0.0.1:${standIns}`,
    FLAIL_CHANGE_CONTROL: `http://127.0.0.1:${standIns}`,
  }),
});
console.log(`\n  Open ${url} in a browser. The demo data come in while you look; Ctrl+C ends.\n`);
const fleetArgs = args.filter((arg) => arg !== '--fresh');
const fleet = start('apps/fleet/dist/main.js', ['--url', url, '--data', data, ...fleetArgs]);
// The data come in while somebody looks: the looking goes first.
if (fleet.pid !== undefined) setPriority(fleet.pid, 10);
if (args.includes('--no-live')) endTogether(server);
else endTogether(server, fleet);
