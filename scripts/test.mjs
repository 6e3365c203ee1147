// npm test: lint, types, unit tests, end-to-end tests. Installs what is missing first.
import { spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import { install, build, run } from './setup.mjs';

const CHROMIUM = process.env.FLAIL_CHROMIUM ?? '/usr/bin/chromium';

/** A browser for the end-to-end tests: from the system's packages, where this process may install them. */
function chromium() {
  if (existsSync(CHROMIUM)) return;
  if (process.getuid?.() === 0 && spawnSync('which', ['apt-get']).status === 0) {
    run('apt-get update -qq && apt-get install -y -qq chromium', { stdio: ['ignore', 'ignore', 'inherit'] });
  }
  if (existsSync(CHROMIUM)) return;
  console.error('The end-to-end tests need Chromium: install the package chromium, or name its file in FLAIL_CHROMIUM.');
  process.exit(1);
}

install();
chromium();
run('npm run --silent grammar');
build();
run('npm run --silent lint');
run('npm run --silent typecheck');
run('npm run --silent unit');
run('npm run --silent e2e');
