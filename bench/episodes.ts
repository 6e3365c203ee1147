import { EPISODES } from '../apps/fleet/src/episodes/placement.js';
import { Random } from '../apps/fleet/src/world/random.js';
import { DAY, HOUR } from '../apps/fleet/src/world/clock.js';
import { type Check, onsetChecks, quietGroups } from './episodes/onsets.js';
import { quietSignatures, signatureChecks } from './episodes/signatures.js';
import { drawPlacements, startWorld } from './episodes/world.js';

/**
 * Whether the episodes are found by the tools that have to find them, on fleets whose names, seeds and moments are
 * drawn anew at each run. Failures are listed one by one.
 *
 * npm run bench -- episodes DRAWS STRENGTH SEED [quiet]
 */
const DRAWS = Number(process.argv[2] ?? 20);
const STRENGTH = Number(process.argv[3] ?? 1);
const seed = process.argv[4] ?? String(Date.now());
const quiet = process.argv[5] === 'quiet';
const SCALE = 1;

const random = new Random(seed);
const anchorOf = (index: number): number =>
  Date.UTC(2026, 4, 4) + index * 3 * DAY + random.whole(24) * HOUR + random.whole(60) * 60_000;

const all = new Map<string, { held: number; of: number; failures: string[] }>();
function note(index: number, checks: readonly Check[]): void {
  for (const { what, held, seen } of checks) {
    const sum = all.get(what) ?? { held: 0, of: 0, failures: [] };
    sum.of++;
    if (held) sum.held++;
    else sum.failures.push(`draw ${index}: ${seen}`);
    all.set(what, sum);
  }
}

console.log(`${DRAWS} draws, strength ${STRENGTH}, seed ${seed}${quiet ? ', quiet days' : ''}`);
let hours = 0;
const groups: string[] = [];
const claims: string[] = [];
// Draws are made in their order, so that one of them can be looked at alone.
const only = process.env.ONLY_DRAW;
for (let index = 0; index < DRAWS; index++) {
  const anchor = anchorOf(index);
  const own = random.fork(`draw ${index}`);
  if (only !== undefined && Number(only) !== index) continue;
  const began = Date.now();
  const episodes = quiet ? {} : drawPlacements(EPISODES, anchor, own, STRENGTH);
  const world = await startWorld({ seed: `${seed}/${index}`, anchor, episodes, scale: SCALE });
  try {
    if (quiet) {
      const found = await quietGroups(world);
      hours += found.hours;
      groups.push(...found.groups.map((one) => `draw ${index}: ${one}`));
      claims.push(...(await quietSignatures(world)).map((one) => `draw ${index}: ${one}`));
    } else {
      note(index, await onsetChecks(world, own));
      note(index, await signatureChecks(world, own));
    }
  } finally {
    await world.end();
  }
  console.log(`  draw ${index} took ${((Date.now() - began) / 1000).toFixed(0)} s`);
}

for (const [what, { held, of, failures }] of all) {
  console.log(`${what}: ${held} of ${of} (${((100 * held) / of).toFixed(0)}%)`);
  for (const failure of failures) console.log(`    ${failure}`);
}
if (quiet) {
  console.log(`groups on quiet days: ${groups.length} in ${(hours / 24).toFixed(1)} days`);
  for (const group of groups) console.log(`    ${group}`);
  console.log(`signatures claimed on quiet days: ${claims.length}`);
  for (const claim of claims) console.log(`    ${claim}`);
}
