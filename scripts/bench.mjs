// npm run bench [-- intake LINES ROUNDS]: how fast lines are taken in through HTTP.
// npm run bench -- surprise DRAWS HOURS SEED: where the episode's rare line stands, over fleets of many seeds.
import { prepare, run } from './setup.mjs';

const [what = 'intake', ...rest] = process.argv.slice(2);
if (what !== 'intake' && what !== 'surprise') {
  console.error(`There is no bench "${what}"; there are intake and surprise.`);
  process.exit(1);
}
prepare();
run(`npx tsx --conditions=source bench/${what}.ts ${rest.join(' ')}`);
