// npm run count: how much of the code is tests.
import { execFileSync } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';
import { root } from './setup.mjs';

const files = execFileSync(
  'git',
  ['ls-files', '--cached', '--others', '--exclude-standard', '*.ts', '*.tsx'],
  { cwd: root, encoding: 'utf8' },
)
  .split('\n')
  .filter((file) => file !== '' && existsSync(`${root}/${file}`));
let tests = 0;
let code = 0;
for (const file of files) {
  const lines = readFileSync(`${root}/${file}`, 'utf8').split('\n').length;
  if (/\.spec\.tsx?$|^e2e\//.test(file)) tests += lines;
  else code += lines;
}
console.log(
  `${code} lines of code, ${tests} lines of tests: ${Math.round((100 * tests) / (code + tests))}% are tests.`,
);
