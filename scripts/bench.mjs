// npm run bench [-- LINES ROUNDS]: how fast lines are taken in through HTTP.
import { prepare, run } from './setup.mjs';

prepare();
run(`npx tsx bench/intake.ts ${process.argv.slice(2).join(' ')}`);
