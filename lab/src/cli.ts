import { PROGRAMS } from './programs/index.js';
import { recordLines } from './lines.js';

/** `npm run lab -- lines OUT [--seed S] [--half build|final] [--only NAME,NAME]` */
const [what, out, ...rest] = process.argv.slice(2);
const option = (name: string): string | undefined => {
  const at = rest.indexOf(`--${name}`);
  return at < 0 ? undefined : rest[at + 1];
};
if (what !== 'lines' || out === undefined) {
  console.error('npm run lab -- lines FOLDER [--seed S] [--half build|final] [--only NAME,NAME]');
  process.exit(1);
}
const seed = option('seed') ?? String(Date.now());
const half = option('half');
const only = option('only')?.split(',');
console.log(`seed ${seed}`);
await recordLines(
  PROGRAMS.filter(
    (program) =>
      (half === undefined || program.half === half) && (only === undefined || only.includes(program.name)),
  ),
  seed,
  out,
);
process.exit(0);
