import type { ContrastAnswer, RequestsSearchAnswer, SignatureBody } from '@flail/contract';
import { HOUR, MINUTE, SECOND } from '../apps/fleet/src/world/clock.js';
import { Random } from '../apps/fleet/src/world/random.js';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { startServer, windowsOf } from './episodes/world.js';

/**
 * Whether contrast names what sets failing requests apart where a single family of features does: a field, how often
 * something was called, a value in a line, a line, the state of an instance, a run beside it, a part of what was sent.
 * All else is drawn without regard to it, and some requests fail for no reason. Names and seeds are drawn at each run.
 *
 * npm run bench -- families DRAWS SEED
 */
const DRAWS = Number(process.argv[2] ?? 20);
const seed = process.argv[3] ?? String(Date.now());
const FAMILIES = ['field', 'calls', 'slot', 'pattern', 'metric', 'run', 'payload'] as const;
type Family = (typeof FAMILIES)[number];

const REQUESTS = 1500;
/** Part of the healthy that fail for no reason. */
const BY_CHANCE = 0.02;
const INSTANCES = 4;
const VALUES = 6;

/** What is drawn of a request, whatever its family makes of it. */
interface Drawn {
  at: number;
  port: string;
  instance: string;
  calls: number;
  berth: string;
  stale: boolean;
  mode: string;
}

const word = (random: Random): string =>
  Array.from(
    { length: 3 + random.whole(2) },
    () => random.pick('bdfgklmnprstvz'.split('')) + random.pick('aeiou'.split('')),
  ).join('');

function worldOf(random: Random) {
  const taken = new Set<string>();
  const name = (): string => {
    for (;;) {
      const own = word(random);
      if (!taken.has(own)) {
        taken.add(own);
        return own;
      }
    }
  };
  const some = (count: number): string[] => Array.from({ length: count }, name);
  const [front, back] = [name(), name()];
  return {
    front,
    back,
    instances: Array.from({ length: INSTANCES }, (_, at) => `${back}-${at + 1}`),
    ports: some(VALUES),
    berths: some(VALUES),
    modes: some(VALUES),
    field: name(),
    key: name(),
    metric: `${name()}.depth`,
    job: name(),
    statement: `${name()} ${name()}`,
  };
}

const nanos = (at: number): string => `${BigInt(Math.round(at * 1000)) * 1000n}`;
const attribute = (key: string, value: string | number) => ({
  key,
  value: typeof value === 'number' ? { intValue: value } : { stringValue: value },
});

async function drawOf(family: Family, random: Random, end: number): Promise<string | undefined> {
  const world = worldOf(random);
  const { front, back } = world;
  const start = end - 2 * HOUR;
  const began = end - HOUR;
  // Minutes in which an instance is under pressure, and times at which a job runs; drawn for all families.
  const pressed = new Set<string>();
  for (const instance of world.instances)
    for (let minute = 0; minute < 120; minute++)
      if (random.chance(0.15)) pressed.add(`${instance} ${minute}`);
  const runs: [from: number, to: number][] = [];
  for (let at = start + 10 * MINUTE; at < end - 5 * MINUTE; at += (12 + random.whole(6)) * MINUTE)
    runs.push([at, at + (2 + random.whole(2)) * MINUTE]);
  const minuteOf = (at: number): number => Math.floor((at - start) / MINUTE);
  const requests = Array.from({ length: REQUESTS }, (): Drawn => ({
    at: start + random.unit() * (end - start - 10 * SECOND),
    port: random.pick(world.ports),
    instance: random.pick(world.instances),
    calls: random.chance(0.15) ? 20 + random.whole(10) : 1 + random.whole(3),
    berth: random.pick(world.berths),
    stale: random.chance(0.15),
    mode: random.pick(world.modes),
  }));
  const marked: Record<Family, (one: Drawn) => boolean> = {
    field: ({ port }) => port === world.ports[0],
    calls: ({ calls }) => calls >= 20,
    slot: ({ berth }) => berth === world.berths[0],
    pattern: ({ stale }) => stale,
    metric: ({ instance, at }) => pressed.has(`${instance} ${minuteOf(at)}`),
    run: ({ at }) => runs.some(([from, to]) => at >= from && at < to),
    payload: ({ mode }) => mode === world.modes[0],
  };
  const isWrong = (one: Drawn): boolean =>
    one.at >= began && (marked[family](one) ? random.chance(0.97) : random.chance(BY_CHANCE));

  const data = mkdtempSync(join(tmpdir(), 'flail-families-'));
  const { server, url } = await startServer(data);
  const post = async <T>(path: string, body: object | string): Promise<T> => {
    const response = await fetch(`${url}/${path}`, {
      method: 'POST',
      headers: { 'content-type': typeof body === 'string' ? 'text/plain' : 'application/json' },
      body: typeof body === 'string' ? body : JSON.stringify(body),
    });
    if (!response.ok) throw new Error(`${path}: ${response.status} ${await response.text()}`);
    return (await response.json()) as T;
  };
  try {
    const lines: string[] = [];
    const spans: object[] = [];
    for (const one of requests) {
      const trace = random.hex(32);
      const wrong = isWrong(one);
      const [root, below] = [random.hex(16), random.hex(16)];
      const took = 20 + random.unit() * 30;
      const span = (
        service: string,
        id: string,
        name: string,
        parent: string | undefined,
        kind: number,
        attributes: object[],
        failed: boolean,
        instance?: string,
      ): object => ({
        resource: {
          attributes: [
            attribute('service.name', service),
            ...(instance === undefined ? [] : [attribute('service.instance.id', instance)]),
          ],
        },
        scopeSpans: [
          {
            spans: [
              {
                traceId: trace,
                spanId: id,
                ...(parent !== undefined && { parentSpanId: parent }),
                name,
                kind,
                startTimeUnixNano: nanos(one.at),
                endTimeUnixNano: nanos(one.at + took),
                attributes,
                ...(failed && { status: { code: 2, message: 'it failed' } }),
              },
            ],
          },
        ],
      });
      const payload = JSON.stringify({ [world.key]: one.mode, note: random.hex(12), count: random.whole(9) });
      spans.push(
        span(
          front,
          root,
          `POST /${front}`,
          undefined,
          2,
          [attribute(world.field, one.port), attribute('request.body', payload)],
          wrong,
        ),
        span(back, below, `serve ${back}`, root, 2, [], wrong, one.instance),
        ...Array.from({ length: one.calls }, () =>
          span(back, random.hex(16), world.statement, below, 3, [], false, one.instance),
        ),
      );
      const line = (msg: string): string =>
        JSON.stringify({ ts: new Date(one.at + 5).toISOString(), level: 'info', service: back, msg, trace });
      lines.push(line(`took ${random.whole(900)} kg to place ${one.berth} for ${random.hex(8)}`));
      if (one.stale) lines.push(line(`list of ${random.hex(6)} is from before, taken all the same`));
      if (random.chance(0.3)) lines.push(line(`looked twice at ${random.hex(6)}`));
    }
    lines.sort();
    await post(`api/v1/intake/logs?source=${back}`, lines.join('\n'));
    for (let at = 0; at < spans.length; at += 3000)
      await post('v1/traces', { resourceSpans: spans.slice(at, at + 3000) });
    await post('v1/metrics', {
      resourceMetrics: world.instances.map((instance) => ({
        resource: {
          attributes: [attribute('service.name', back), attribute('service.instance.id', instance)],
        },
        scopeMetrics: [
          {
            metrics: [
              {
                name: world.metric,
                unit: '1',
                gauge: {
                  dataPoints: Array.from({ length: 120 }, (_, minute) => ({
                    // A measurement tells of the minute that ends with it.
                    timeUnixNano: nanos(start + (minute + 1) * MINUTE - 1),
                    asDouble: (pressed.has(`${instance} ${minute}`) ? 60 : 4) + random.unit() * 5,
                  })),
                },
              },
            ],
          },
        ],
      })),
    });
    await post(
      'api/v1/intake/runs',
      runs.flatMap(([from, to], round) =>
        [
          ['START', from],
          ['COMPLETE', to],
        ].map(([eventType, at]) => ({
          eventType,
          eventTime: new Date(at as number).toISOString(),
          producer: 'https://example.org/bench',
          schemaURL: 'https://openlineage.io/spec/2-0-2/OpenLineage.json#/$defs/RunEvent',
          run: { runId: `run-${round}`, facets: {} },
          job: { namespace: 'bench', name: world.job },
        })),
      ),
    );
    const asked = windowsOf(began, end);
    const found = await post<ContrastAnswer>('api/v1/contrast', asked);
    const [best] = found.signatures;
    const told = best
      ? `${best.terms.map(termText).join(' & ')} (${best.coverage.toFixed(2)}/${best.purity.toFixed(2)})`
      : 'no signature';
    if (!best || !best.terms.some((term) => isOf(family, world, term)))
      return `${told}; first difference ${found.differences[0] ? termText(found.differences[0].term) : 'none'}`;
    if (best.coverage < 0.8 || best.purity < 0.8) return told;
    if (best.terms.length > 1) return `${told}: more than it takes`;
    if (best.expression === undefined) return undefined;
    // What can be said as an expression has to find the same requests.
    const own = await post<RequestsSearchAnswer>('api/v1/requests/search', {
      ...asked,
      scope: best.expression,
    });
    const { failing, healthy } = best;
    return Math.abs(own.focus.kept - failing - healthy) <= 0.02 * (failing + healthy)
      ? undefined
      : `${told}: its expression ${best.expression} finds ${own.focus.kept} requests, not ${failing + healthy}`;
  } finally {
    const gone = new Promise((resolve) => server.once('exit', resolve));
    server.kill('SIGTERM');
    await gone;
    rmSync(data, { recursive: true, force: true });
  }
}

type Term = SignatureBody['terms'][number];

const termText = ({ feature, is, values, low, high }: Term): string =>
  `${feature.kind} ${feature.service ?? ''} ${feature.name} ${is} ${values?.join('|') ?? [low, high].join('..')}`;

/** Whether a term is of the family that makes requests fail. */
function isOf(family: Family, world: ReturnType<typeof worldOf>, { feature, values = [] }: Term): boolean {
  switch (family) {
    case 'field':
      return feature.kind === 'field' && feature.name === world.field && values[0] === world.ports[0];
    case 'calls':
      // Each call takes time, so that the time of all of them tells the same.
      return (feature.kind === 'calls' || feature.kind === 'time') && feature.name.includes(world.statement);
    case 'slot':
      return feature.kind === 'slot' && values[0] === world.berths[0];
    case 'pattern':
      return feature.kind === 'pattern' && feature.name.includes('from before');
    case 'metric':
      return feature.kind === 'metric' && feature.name.includes(world.metric);
    case 'run':
      return feature.kind === 'run' && feature.name === world.job;
    case 'payload':
      return feature.name === `request.body.${world.key}` && values[0] === world.modes[0];
  }
}

console.log(`${DRAWS} draws of each of ${FAMILIES.length} families, seed ${seed}`);
const random = new Random(seed);
for (const family of FAMILIES) {
  const failures: string[] = [];
  for (let draw = 0; draw < DRAWS; draw++) {
    const own = random.fork(`${family} ${draw}`);
    const failure = await drawOf(family, own, Date.UTC(2026, 4, 4) + own.whole(24) * HOUR);
    if (failure !== undefined) failures.push(`draw ${draw}: ${failure}`);
  }
  console.log(`${family}: ${DRAWS - failures.length} of ${DRAWS}`);
  for (const failure of failures) console.log(`    ${failure}`);
}
