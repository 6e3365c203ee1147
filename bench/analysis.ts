import { type CohortTable, contrastOf, type Feature, signaturesOf } from '@flail/core/contrast';
import { scanSeries } from '../apps/server/src/onsets/scan-series.js';
import type { SeriesTable } from '../apps/server/src/onsets/series-table.js';
import { Progress } from '../apps/server/src/told/progress.js';
import { Random } from '../apps/fleet/src/world/random.js';

/**
 * How long the two heavy computations take by themselves, in one thread: looking through many series of eight days for
 * what left its normal range, and telling two cohorts of requests apart.
 *
 * npm run bench -- analysis SERIES REQUESTS FEATURES ROUNDS
 */
const [SERIES = 2000, REQUESTS = 200_000, FEATURES = 60, ROUNDS = 5] = process.argv.slice(2).map(Number);
const DAY = 1440;
const DAYS = 8;
const HOUR = 60;

const random = new Random('analysis');
const median = (values: readonly number[]): number => [...values].sort((a, b) => a - b)[values.length >> 1]!;

/** Series with a season and noise; one in fifty rises in the last hour. */
function tableOf(count: number): SeriesTable {
  return Array.from({ length: count }, (_, number) => {
    const [level, swing, noise] = [
      random.between(1, 1000),
      random.between(0, 0.5),
      random.between(0.01, 0.2),
    ];
    const rises = number % 50 === 0;
    const values = Float64Array.from({ length: DAYS * DAY }, (_, at) => {
      const own = level * (1 + swing * Math.sin((2 * Math.PI * at) / DAY) + noise * random.normal());
      return rises && at >= DAYS * DAY - 40 ? own * 4 : own;
    });
    return {
      id: String(number),
      drawn: { of: 'metric', metric: `m${number}`, labels: {}, aggregate: 'avg' },
      measure: `m${number}`,
      kind: 'load',
      unit: '1',
      service: `s${number % 40}`,
      member: '',
      series: { from: 0, step: 60, values },
    };
  });
}

/** Cohorts of which one value of one field and a range of a number set most of the failing apart. */
function cohortsOf(items: number, features: number): CohortTable {
  const failing = new Uint8Array(items);
  const codes = Int32Array.from({ length: items }, () => random.whole(12));
  const numbers = Float64Array.from({ length: items }, () => random.unit() * 100);
  for (let item = 0; item < items; item++)
    failing[item] =
      codes[item] === 3 && numbers[item]! > 60 ? Number(random.chance(0.9)) : Number(random.chance(0.01));
  const told: Feature[] = [
    {
      name: { kind: 'field', name: 'told' },
      column: { of: 'categories', codes, values: Array.from({ length: 12 }, (_, at) => `v${at}`) },
    },
    { name: { kind: 'field', name: 'size' }, column: { of: 'numbers', values: numbers } },
  ];
  const others = Array.from({ length: features - told.length }, (_, number): Feature => {
    if (number % 3 === 0)
      return {
        name: { kind: 'calls', name: `c${number}` },
        column: { of: 'numbers', values: Float64Array.from({ length: items }, () => random.whole(40)) },
      };
    if (number % 3 === 1)
      return {
        name: { kind: 'pattern', name: `p${number}`, pattern: `p${number}` },
        column: { of: 'flags', set: Uint8Array.from({ length: items }, () => Number(random.chance(0.2))) },
      };
    const many = 4 + random.whole(30);
    return {
      name: { kind: 'field', name: `f${number}` },
      column: {
        of: 'categories',
        codes: Int32Array.from({ length: items }, () => random.whole(many)),
        values: Array.from({ length: many }, (_, at) => `v${at}`),
      },
    };
  });
  return {
    failing,
    weights: new Float64Array(items).fill(1),
    ids: Array.from({ length: items }, () => random.hex(16)),
    features: [...told, ...others],
  };
}

async function timed(run: () => unknown): Promise<number[]> {
  const times: number[] = [];
  for (let round = 0; round < ROUNDS; round++) {
    const began = performance.now();
    await run();
    times.push(performance.now() - began);
  }
  return times;
}

const told = (what: string, times: readonly number[]): void =>
  console.log(
    `${what}: ${(median(times) / 1000).toFixed(2)} s (${times.map((time) => (time / 1000).toFixed(2)).join(' · ')})`,
  );

const table = tableOf(SERIES);
const end = DAYS * DAY * 60 * 1_000_000;
const focus = { from: end - HOUR * 60 * 1_000_000, to: end };
let found = 0;
told(
  `${SERIES} series of ${DAYS} days by the minute looked through`,
  await timed(async () => (found = (await scanSeries(table, focus, new Progress())).moved.length)),
);
console.log(`  of ${Math.ceil(SERIES / 50)} that rise ${found} moved`);
const cohorts = cohortsOf(REQUESTS, FEATURES);
told(`contrast of ${REQUESTS} requests by ${FEATURES} features`, await timed(() => contrastOf(cohorts)));
let terms = '';
told(
  'search for their signatures',
  await timed(() => {
    const { signatures } = signaturesOf(cohorts);
    terms = signatures
      .map((one) => one.terms.map(({ feature }) => cohorts.features[feature]!.name.name).join(' and '))
      .join('; ');
  }),
);
console.log(`  ${terms}`);
