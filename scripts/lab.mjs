// npm run lab -- lines FOLDER [--seed S] [--half build|final] [--only NAME,NAME]: runs programs of Debian packages and
//   writes what they logged, with the statement that wrote each line, for `npm run bench -- grouping-real FOLDER`.
import { prepare, run } from './setup.mjs';

prepare();
run(`npx tsx --conditions=source lab/src/cli.ts ${process.argv.slice(2).join(' ')}`);
