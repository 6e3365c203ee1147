// npm test: lint, types, unit tests, end-to-end tests. Installs what is missing first.
import { spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import { install, build, run } from './setup.mjs';

const CHROMIUM = process.env.FLAIL_CHROMIUM ?? '/usr/bin/chromium';

/** What the end-to-end tests need of the system: a browser, and a web server that writes a real access log. */
function systemPackages() {
  const missing = [
    ['chromium', CHROMIUM],
    ['nginx-light', '/usr/sbin/nginx'],
  ].filter(([, file]) => !existsSync(file));
  if (missing.length > 0 && process.getuid?.() === 0 && spawnSync('which', ['apt-get']).status === 0) {
    const names = missing.map(([name]) => name).join(' ');
    // Without the web server its test is skipped; without the browser there are no end-to-end tests.
    spawnSync(`apt-get update -qq; apt-get install -y -qq ${names}`, {
      shell: true,
      stdio: 'ignore',
      env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
    });
  }
  if (existsSync(CHROMIUM)) return;
  console.error(
    'The end-to-end tests need Chromium: install the package chromium, or name its file in FLAIL_CHROMIUM.',
  );
  process.exit(1);
}

install();
systemPackages();
run('npm run --silent grammar');
build();
run('npm run --silent lint');
run('npm run --silent typecheck');
run('npm run --silent unit');
run('npm run --silent e2e');
