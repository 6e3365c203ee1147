import type {
  ContrastAnswer,
  ContrastBody,
  RequestsAnalysisAnswer,
  RunsTallyAnswer,
  SignatureBody,
} from '@flail/contract';
import { BERTHS } from '../../apps/fleet/src/episodes/double-offset.js';
import { MARKED_PORTS } from '../../apps/fleet/src/episodes/combining-marks.js';
import { fastInstance } from '../../apps/fleet/src/episodes/fast-clock.js';
import { SLOW_CLASS } from '../../apps/fleet/src/episodes/hull-tiles.js';
import type { Random } from '../../apps/fleet/src/world/random.js';
import { DAY, HOUR, MINUTE } from '../../apps/fleet/src/world/clock.js';
import type { Check } from './onsets.js';
import { quietWindows, windowsOf, type World } from './world.js';

const termText = ({ feature, is, values, low, high }: SignatureBody['terms'][number]): string =>
  `${feature.service ?? ''} ${feature.name} ${is} ${values?.join('|') ?? [low, high].join('..')}`.trim();

const told = ({ signatures, differences }: ContrastAnswer): string =>
  [
    ...signatures.map(
      ({ terms, coverage, purity }) =>
        `{${terms.map(termText).join(' & ')}: ${coverage.toFixed(2)}/${purity.toFixed(2)}}`,
    ),
    ...differences.slice(0, 3).map(({ term }) => termText(term)),
  ].join(' | ');

/** Everything that the first few differences say, with what holds of the same items. */
const firstOf = ({ differences }: ContrastAnswer, count: number): string[] =>
  differences.slice(0, count).flatMap(({ term, with: others }) => [term, ...others].map(termText));

/** What contrast says of each episode that it has to find. */
export async function signatureChecks(world: World, random: Random): Promise<Check[]> {
  const { E1, E2, E3, E4, E5, E6, E8 } = world.episodes;
  const name = world.disguise;
  const checks: Check[] = [];
  const contrast = (from: number, to: number, more: Partial<ContrastBody> = {}): Promise<ContrastAnswer> =>
    world.post<ContrastAnswer>('contrast', { ...windowsOf(from, Math.min(to, world.anchor)), ...more });
  const around = (start: number): [number, number] => [
    start - (3 + random.whole(10)) * MINUTE,
    start + (30 + random.whole(25)) * MINUTE,
  ];
  if (E1) {
    const found = await contrast(...around(E1.start));
    const [best] = found.signatures;
    checks.push({
      what: 'E1: coverage and purity of the signature at least 0.9',
      held: best !== undefined && best.coverage >= 0.9 && best.purity >= 0.9,
      seen: told(found),
    });
  }
  if (E2) {
    const found = await contrast(E2.start - 18 * HOUR, world.anchor, {
      items: 'runs',
      first: { job: name('manifest-export') },
      second: { job: name('manifest-export') },
    });
    const ports = MARKED_PORTS.map(name);
    const [best] = found.signatures;
    const port = best?.terms.find(
      ({ values }) => values !== undefined && ports.every((one) => values.includes(one)),
    );
    checks.push({
      what: 'E2: the set of two ports first',
      held: port?.values?.length === 2,
      seen: told(found),
    });
    checks.push({
      what: 'E2: with the version',
      held: best?.terms.some(({ values }) => values?.includes('4.2.0')) ?? false,
      seen: told(found),
    });
    checks.push({
      what: 'E2: stack frame right',
      held: best?.frame?.includes('Glyphs.fold') ?? false,
      seen: best?.frame ?? 'none',
    });
  }
  if (E3) {
    const from = Math.max(E3.start, world.anchor - DAY) + random.whole(60) * MINUTE;
    const found = await contrast(from, from + 2 * HOUR, {
      first: { preset: 'slow', service: name('gate-edge') },
    });
    const first = firstOf(found, 2);
    checks.push({
      what: 'E3: class of vessel and count of calls in the first two',
      held:
        first.some((text) => text.includes(name(SLOW_CLASS))) &&
        first.some((text) => text.includes(`select of ${name('ledger-db')}`)),
      seen: told(found),
    });
  }
  if (E4) {
    const found = await contrast(...around(E4.start));
    const instance = name(fastInstance().name);
    checks.push({
      what: 'E4: the instance, or its clock, among the first five',
      held: firstOf(found, 5).some((text) => text.includes(instance) || text.includes('clock')),
      seen: told(found),
    });
    const analysis = await world.post<RequestsAnalysisAnswer>(
      'requests/analysis',
      windowsOf(E4.start, E4.start + 50 * MINUTE),
    );
    const spread = analysis.spread.find(({ subset }) => subset.includes(instance));
    checks.push({
      what: 'E4: a subset, one of six',
      held: spread?.verdict === 'a subset' && spread.subset.length === 1 && spread.members.length === 6,
      seen: spread
        ? `${spread.verdict}, ${spread.subset.length} of ${spread.members.length}`
        : 'no spread names it',
    });
  }
  if (E5) {
    const from = world.anchor - (6 + random.whole(12)) * HOUR;
    const found = await contrast(from, from + 3 * HOUR, {
      first: { preset: 'slow', operation: name('POST /v1/quotes') },
    });
    checks.push({
      what: 'E5: the overlap with the run first',
      held: firstOf(found, 1).some((text) => text.includes(name('pass-settlement'))),
      seen: told(found),
    });
  }
  if (E6) {
    const tally = await world.post<RunsTallyAnswer>('runs/tally', {
      window: windowsOf(world.anchor - DAY, world.anchor).window,
    });
    checks.push({
      what: 'E6: the run is flagged as stuck',
      held: tally.stuck.some(({ job, time, usual }) => job === name('tide-import') && time > 3 * usual),
      seen: tally.stuck.map(({ job }) => job).join(', ') || 'nothing is stuck',
    });
  }
  if (E8) {
    const found = await contrast(...around(E8.start));
    const place = found.early.findIndex(
      ({ service, shared }) => service === name('tide-feed') && shared.length > 0,
    );
    checks.push({
      what: 'E8: the single line in the first five',
      held: place >= 0 && place < 5,
      seen:
        found.early
          .slice(0, 5)
          .map(({ service, text }) => `${service}: ${text}`)
          .join(' | ') || told(found),
    });
    const berths = BERTHS.map(name);
    const [best] = found.signatures;
    checks.push({
      what: 'E8: the berths in the signature, or with it',
      held: [...(best?.terms ?? []).map(termText), ...firstOf(found, 1)].some((text) =>
        berths.some((berth) => text.includes(berth)),
      ),
      seen: told(found),
    });
  }
  return checks;
}

/** Signatures that are claimed of times at which nothing is wrong. */
export async function quietSignatures(world: World): Promise<string[]> {
  const claimed: string[] = [];
  for (const windows of quietWindows(world)) {
    const found = await world.post<ContrastAnswer>('contrast', windows);
    // What fails as often as at any other time may well have something in common; the answer says that it is so.
    if (found.usual) continue;
    for (const { terms, coverage, purity } of found.signatures)
      claimed.push(
        `${found.first.outcome ?? ''} ${terms.map(termText).join(' & ')} (${coverage.toFixed(2)}/${purity.toFixed(2)}, of ${found.first.kept})`,
      );
  }
  return claimed;
}
