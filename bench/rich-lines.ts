import { createWriteStream } from 'node:fs';
import { once } from 'node:events';
import { Random } from './grouping/random.js';
import { DOING, DONE, KINDS, madeUp, NOUNS } from './grouping/words.js';

const TEMPLATES = 300;
const SERVICES = 12;
/** Lines of a second at the pace of the made-up system. */
const PER_SECOND = 700;

type Draw = () => string;

/** Draws the texts of 300 statements: constants with one to four values of all types. */
function statements(random: Random): Draw[] {
  const word = madeUp.bind(undefined, <T>(of: readonly T[]) => random.pick(of));
  const values: (() => Draw)[] = [
    () => () => String(random.int(1, 90_000)),
    () => () => `${random.int(1, 4000)}ms`,
    () => () => random.hex(16),
    () => () => `${random.hex(8)}-${random.hex(4)}-4${random.hex(3)}-a${random.hex(3)}-${random.hex(12)}`,
    () => () => `10.${random.int(0, 9)}.${random.int(0, 255)}.${random.int(1, 254)}`,
    () => {
      const name = word(2);
      return () => `${name}-${random.int(1, 60)}`;
    },
    () => {
      const names = Array.from({ length: random.int(3, 24) }, () => word(3));
      return () => `"${random.pick(names)}"`;
    },
    () => {
      const folder = random.pick(NOUNS);
      return () => `/srv/${folder}/${random.int(1, 500)}.dat`;
    },
    () => () => `${(random.next() * 100).toFixed(1)}%`,
  ];
  return Array.from({ length: TEMPLATES }, (_, at): Draw => {
    const parts: (string | Draw)[] = [`${random.pick(NOUNS)} ${random.pick(DONE)} ${random.pick(KINDS)}`];
    for (let slot = 0; slot < 1 + (at % 4); slot++) {
      parts.push(` ${random.pick(DOING)} ${random.pick(NOUNS)}=`, random.pick(values)());
    }
    return () => parts.map((part) => (typeof part === 'string' ? part : part())).join('');
  });
}

/**
 * Writes JSON lines of about 320 bytes: a moment, a level, a service and an instance, a message of one of 300
 * statements (few of which make most lines), trace and span, a route, a duration, a size and a user.
 */
export async function writeRichLines(
  file: string,
  lines: number,
  seed: string,
): Promise<{ bytes: number; phrase: string; trace: string }> {
  const random = new Random(seed);
  const texts = statements(random);
  const services = Array.from({ length: SERVICES }, () => `${random.pick(NOUNS)}-${random.pick(NOUNS)}`);
  const routes = Array.from({ length: 40 }, () => `/v1/${random.pick(NOUNS)}s/${random.pick(NOUNS)}`);
  const out = createWriteStream(file, { highWaterMark: 4 * 1024 * 1024 });
  const start = Date.UTC(2026, 2, 2);
  // Requests that are under way at one time, each of which says several lines.
  const traces = Array.from({ length: 40 }, () => random.hex(32));
  let trace = '';
  let bytes = 0;
  for (let from = 0; from < lines; from += 2000) {
    let block = '';
    for (let index = from; index < Math.min(lines, from + 2000); index++) {
      const micros = Math.floor((index * 1000) / PER_SECOND);
      const which = Math.floor(TEMPLATES * random.next() ** 3);
      const level = random.next() < 0.02 ? 'error' : random.next() < 0.05 ? 'warn' : 'info';
      const service = services[which % SERVICES]!;
      const slot = random.int(0, 39);
      if (random.next() < 0.15) traces[slot] = random.hex(32);
      trace = traces[slot]!;
      block += `{"ts":"${new Date(start + micros).toISOString()}","level":"${level}","service":"${service}","instance":"${service}-${index % 4}","message":${JSON.stringify(texts[which]!())},"trace_id":"${trace}","route":"${routes[which % 40]!}","duration_ms":${(random.next() ** 4 * 3000).toFixed(1)},"bytes":${random.int(100, 90_000)},"user":"u-${random.int(1, 20_000)}"}\n`;
    }
    bytes += block.length;
    if (!out.write(block)) await once(out, 'drain');
  }
  out.end();
  await once(out, 'finish');
  // Constant words of a common statement, to be searched for.
  return { bytes, phrase: texts[2]!().split(' ').slice(0, 3).join(' '), trace };
}
