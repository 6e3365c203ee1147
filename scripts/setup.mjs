// What every command needs before it can do its work: the packages, and a build that is not older than its sources.
import { spawnSync } from 'node:child_process';
import { existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

export const root = dirname(dirname(fileURLToPath(import.meta.url)));

/** Runs a command in the project's folder and ends with its code when it fails. */
export function run(command, options = {}) {
  const { status, error } = spawnSync(command, { cwd: root, shell: true, stdio: 'inherit', ...options });
  if (error) throw error;
  if (status !== 0) process.exit(status ?? 1);
}

/** Installs the packages when the lock file is not the one that was installed from. */
export function install() {
  const lock = readFileSync(join(root, 'package-lock.json'), 'utf8');
  const mark = join(root, 'node_modules', '.flail-installed');
  if (existsSync(mark) && readFileSync(mark, 'utf8') === lock) return;
  console.log(
    'Installing packages; the first time this takes some minutes, since the database driver is compiled.',
  );
  run('npm ci --no-fund --no-audit', { env: { ...process.env, PLAYWRIGHT_SKIP_BROWSER_DOWNLOAD: '1' } });
  writeFileSync(mark, lock);
}

/** Time of the newest file below some folders. */
function newest(folders) {
  let latest = 0;
  const visit = (path) => {
    for (const entry of readdirSync(path, { withFileTypes: true })) {
      if (entry.name === 'node_modules' || entry.name === 'dist' || entry.name === 'grammar') continue;
      const child = join(path, entry.name);
      if (entry.isDirectory()) visit(child);
      else if (!entry.name.endsWith('.tsbuildinfo')) latest = Math.max(latest, statSync(child).mtimeMs);
    }
  };
  for (const folder of folders) visit(join(root, folder));
  return latest;
}

/** Builds everything when a source is newer than the last build. */
export function build() {
  const mark = join(root, 'node_modules', '.flail-built');
  const built = existsSync(mark) ? statSync(mark).mtimeMs : 0;
  const complete = [
    'apps/server/dist/main.js',
    'apps/web/dist/index.html',
    'apps/fleet/dist/main.js',
    'packages/core/dist/index.js',
  ];
  if (built > newest(['packages', 'apps']) && complete.every((file) => existsSync(join(root, file)))) return;
  console.log('Building.');
  run('npm run --silent build', { stdio: ['ignore', 'ignore', 'inherit'] });
  writeFileSync(mark, '');
}

export function prepare() {
  install();
  build();
}
