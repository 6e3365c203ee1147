// npm run bench [-- intake LINES ROUNDS]: how fast lines are taken in through HTTP.
// npm run bench -- surprise DRAWS HOURS SEED: where the episode's rare line stands, over fleets of many seeds.
// npm run bench -- engine LINES ROUNDS: intake, size on disk and the questions, against yardsticks.
// npm run bench -- kill MOMENTS: ends the server at random moments while lines come in.
// npm run bench -- faults MINUTES KILLS ONLY: attacks the server in all known ways; results in bench/FAULTS.md.
// npm run bench -- episodes DRAWS STRENGTH SEED [all | pairs | alone | quiet | latency-first | nearer-change]:
//   whether the episodes are found, by the tool that has to find each.
// npm run bench -- families DRAWS SEED: whether contrast names what a single family of features tells.
// npm run bench -- analysis SERIES REQUESTS FEATURES ROUNDS: how long looking through series and contrast take.
// npm run bench -- climbs DAYS CLIMBS SEED: whether the onset of a climb is told rightly.
// npm run bench -- requests REQUESTS ROUNDS: how long Requests takes with very many in the window.
// npm run bench -- page URL ROUNDS WINDOW: how the page behaves in the browser, on a demo that runs already.
// npm run bench -- grouping DRAWS TEMPLATES LINES SEED [verbose]: how rightly lines are grouped into patterns.
// npm run bench -- grouping-real FOLDER,FOLDER [folds] [fit] [verbose]: the same on lines of real programs, of which it
//   is known what statement wrote them; with weights fitted without each source, writing new ones, listing what is wrong.
import { prepare, run } from './setup.mjs';

const [what = 'intake', ...rest] = process.argv.slice(2);
const BENCHES = [
  'intake',
  'engine',
  'surprise',
  'episodes',
  'families',
  'climbs',
  'analysis',
  'requests',
  'page',
  'grouping',
  'grouping-real',
  'kill',
  'faults',
];
if (!BENCHES.includes(what)) {
  console.error(`There is no bench "${what}"; there are ${BENCHES.join(', ')}.`);
  process.exit(1);
}
prepare();
run(`npx tsx --conditions=source bench/${what}.ts ${rest.join(' ')}`);
