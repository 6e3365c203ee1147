import { type EpisodeId, EPISODES, type Placements } from '../apps/fleet/src/episodes/placement.js';
import { type Variant, VARIANTS } from '../apps/fleet/src/episodes/variants.js';
import { Random } from '../apps/fleet/src/world/random.js';
import { DAY, HOUR } from '../apps/fleet/src/world/clock.js';
import { type Check, onsetChecks, quietGroups } from './episodes/onsets.js';
import { quietSignatures, signatureChecks } from './episodes/signatures.js';
import { DAYS_BEFORE, drawPlacements, QUIET_DAYS, startWorld } from './episodes/world.js';

/**
 * Whether the episodes are found by the tools that have to find them, on fleets whose names, seeds and moments are
 * drawn anew at each run. Failures are listed one by one.
 *
 * npm run bench -- episodes DRAWS STRENGTH SEED [all | pairs | alone | E4 | E1+E7 | … | quiet | latency-first | nearer-change]
 */
const DRAWS = Number(process.argv[2] ?? 20);
const STRENGTH = Number(process.argv[3] ?? 1);
const seed = process.argv[4] ?? String(Date.now());
const mode = process.argv[5] ?? 'all';
const SCALE = 1;

const random = new Random(seed);
const anchorOf = (index: number): number =>
  Date.UTC(2026, 4, 4) + index * 3 * DAY + random.whole(24) * HOUR + random.whole(60) * 60_000;

const all = new Map<string, { held: number; of: number; failures: string[] }>();
function note(draw: string, checks: readonly Check[]): void {
  for (const { what, held, seen } of checks) {
    const sum = all.get(what) ?? { held: 0, of: 0, failures: [] };
    sum.of++;
    if (held) sum.held++;
    else sum.failures.push(`${draw}: ${seen}`);
    all.set(what, sum);
  }
}

/** The episodes that are named. */
const named = mode.split('+').filter((id): id is EpisodeId => (EPISODES as readonly string[]).includes(id));
const variants = VARIANTS.filter((variant): variant is Variant => variant === mode);
const pairs = shuffled(EPISODES.flatMap((one, at) => EPISODES.slice(at + 1).map((other) => [one, other])));

function shuffled<T>(items: readonly T[]): T[] {
  const left = [...items];
  const order = random.fork('order');
  return items.map(() => left.splice(order.whole(left.length), 1)[0]!);
}

/** The episodes of a draw: all of them, two at once, or one. */
function idsOf(index: number): readonly EpisodeId[] {
  if (mode === 'quiet') return [];
  if (mode === 'pairs') return pairs[index % pairs.length]!;
  if (mode === 'alone') return [EPISODES[index % EPISODES.length]!];
  if (named.length > 0) return named;
  // What makes a cause harder to find is of the headline episode.
  return variants.length > 0 ? ['E1'] : EPISODES;
}

console.log(`${DRAWS} draws, strength ${STRENGTH}, seed ${seed}, ${mode}`);
let days = 0;
const groups: string[] = [];
const claims: string[] = [];
// Draws are made in their order, so that one of them can be looked at alone.
const only = process.env.ONLY_DRAW;
// An interrupt ends it after the draw that runs, and what was found so far is told.
let ended = false;
process.on('SIGINT', () => (ended = true));
for (let index = 0; index < DRAWS && !ended; index++) {
  const anchor = anchorOf(index);
  const own = random.fork(`draw ${index}`);
  if (only !== undefined && Number(only) !== index) continue;
  const began = Date.now();
  const ids = idsOf(index);
  const episodes: Placements = drawPlacements(ids, anchor, own, {
    strength: STRENGTH,
    together: mode === 'pairs',
  });
  const world = await startWorld({
    seed: `${seed}/${index}`,
    anchor,
    episodes,
    scale: SCALE,
    variants,
    ...(mode === 'quiet' && { days: DAYS_BEFORE + QUIET_DAYS }),
  });
  const draw = `draw ${index}${mode === 'pairs' ? ` (${ids.join(', ')})` : ''}`;
  try {
    if (mode === 'quiet') {
      days += QUIET_DAYS;
      groups.push(...(await quietGroups(world)).map((one) => `${draw}: ${one}`));
      claims.push(...(await quietSignatures(world)).map((one) => `${draw}: ${one}`));
    } else {
      note(draw, await onsetChecks(world, own));
      note(draw, await signatureChecks(world, own));
    }
  } finally {
    await world.end();
  }
  const failed = [...all.values()].reduce((sum, { held, of }) => sum + of - held, 0);
  const so = mode === 'quiet' ? `${groups.length} groups, ${claims.length} claims` : `${failed} did not hold`;
  console.log(`  ${draw} took ${((Date.now() - began) / 1000).toFixed(0)} s; so far ${so}`);
}

for (const [what, { held, of, failures }] of all) {
  console.log(`${what}: ${held} of ${of} (${((100 * held) / of).toFixed(0)}%)`);
  for (const failure of failures) console.log(`    ${failure}`);
}
if (mode === 'quiet') {
  console.log(`groups on quiet days: ${groups.length} in ${days} days`);
  for (const group of groups) console.log(`    ${group}`);
  console.log(`signatures claimed on quiet days: ${claims.length}`);
  for (const claim of claims) console.log(`    ${claim}`);
} else {
  const [held, of] = [...all.values()].reduce(([a, b], one) => [a + one.held, b + one.of], [0, 0]);
  console.log(`in all: ${held} of ${of}`);
}
