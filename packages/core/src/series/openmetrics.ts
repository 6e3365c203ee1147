import { fieldName } from '../records/fields.js';
import { isMoment } from '../time/range.js';
import { bucketColumn, COLUMN_OF, type Exemplar, PointsRead, type SeriesIdentity } from './series.js';

/** What a family of metrics says of itself in its comments. */
interface Family {
  type: string;
  unit: string;
}

/** A line with a number. */
interface Sample {
  name: string;
  labels: Record<string, string>;
  value: number;
  at: number;
  exemplar?: { labels: Record<string, string>; value: number; at: number };
}

/** Endings of a family's names, and what their numbers are. */
const SUFFIXES = ['_total', '_bucket', '_count', '_sum', '_created', '_info', '_gcount', '_gsum'];

const NAME = /^[a-zA-Z_:][\w:.]*$/;
const NUMBER = /^[+-]?(?:\d+\.?\d*(?:[eE][+-]?\d+)?|\.\d+(?:[eE][+-]?\d+)?|inf|infinity|nan)$/i;

/**
 * Reads OpenMetrics text, and the older form that it grew from. Numbers without a time have that of their
 * arrival; a line that can't be read is counted, and the others are kept.
 *
 * @param arrival microseconds since 1970
 * @param labels of the sender, for numbers that do not name their own
 */
export function readOpenMetrics(
  text: string,
  arrival: number,
  labels: Readonly<Record<string, string>> = {},
): PointsRead {
  const read = new PointsRead();
  const families = new Map<string, Family>();
  const samples: Sample[] = [];
  const lines = text.split('\n');
  // The older form counts milliseconds, and does not say where it ends.
  const perUnit = lines.some((line) => line.trim() === '# EOF') ? 1e6 : 1e3;
  for (const [index, raw] of lines.entries()) {
    const line = raw.trim();
    if (line === '') continue;
    if (line.startsWith('#')) {
      const comment = /^#\s+(TYPE|UNIT)\s+(\S+)\s*(\S*)/.exec(line);
      if (!comment) continue;
      const [, what, name, value] = comment as unknown as [string, string, string, string];
      const family = families.get(name) ?? { type: 'unknown', unit: '' };
      if (what === 'TYPE') family.type = value;
      else family.unit = value;
      families.set(name, family);
      continue;
    }
    const sample = sampleOf(line, arrival, perUnit);
    if (sample) samples.push(sample);
    else read.refuse(1, `Line ${index + 1} is no measurement: ${line.slice(0, 80)}`);
  }
  for (const { identity, at, columns, exemplars } of pointsOf(samples, families, labels)) {
    read.of(identity).add(at, columns);
    read.exemplars.push(...exemplars);
  }
  return read;
}

function sampleOf(line: string, arrival: number, perUnit: number): Sample | undefined {
  // What a request measured stands behind a hash that is not inside quotes.
  const cut = hashAt(line);
  const main = cut < 0 ? line : line.slice(0, cut).trimEnd();
  const head = /^([^\s{]+)\s*/.exec(main);
  if (!head || !NAME.test(head[1]!)) return undefined;
  const parsed = labelsAt(main, head[0].length);
  if (!parsed) return undefined;
  const [value, time, more] = main.slice(parsed.end).trim().split(/\s+/);
  if (!value || !NUMBER.test(value) || more !== undefined) return undefined;
  const at = time === undefined ? arrival : timeOf(time, perUnit);
  if (at === undefined) return undefined;
  const sample: Sample = {
    name: head[1]!,
    labels: parsed.labels,
    value: readNumber(value),
    at,
  };
  const exemplar = cut < 0 ? undefined : exemplarOf(line.slice(cut + 1).trim(), sample.at);
  return exemplar ? { ...sample, exemplar } : sample;
}

function exemplarOf(text: string, at: number): Sample['exemplar'] {
  const parsed = text.startsWith('{') ? labelsAt(text, 0) : undefined;
  const [value, time] = parsed ? text.slice(parsed.end).trim().split(/\s+/) : [];
  if (!parsed || !value || !NUMBER.test(value)) return undefined;
  return {
    labels: parsed.labels,
    value: readNumber(value),
    at: (time === undefined ? undefined : timeOf(time, 1e6)) ?? at,
  };
}

/** A moment in microseconds; undefined for what is none, or out of range. */
function timeOf(text: string, perUnit: number): number | undefined {
  const micros = NUMBER.test(text) ? Math.round(Number(text) * perUnit) : NaN;
  return isMoment(micros) ? micros : undefined;
}

function readNumber(text: string): number {
  const word = text.replace(/^[+-]/, '').toLowerCase();
  if (word === 'nan') return NaN;
  if (word === 'inf' || word === 'infinity') return text.startsWith('-') ? -Infinity : Infinity;
  return Number(text);
}

function hashAt(line: string): number {
  let quoted = false;
  for (let at = 0; at < line.length; at++) {
    const character = line[at]!;
    if (quoted && character === '\\') at++;
    else if (character === '"') quoted = !quoted;
    else if (character === '#' && !quoted) return at;
  }
  return -1;
}

/** Labels in braces, if there are any. */
function labelsAt(text: string, from: number): { labels: Record<string, string>; end: number } | undefined {
  const labels: Record<string, string> = {};
  if (text[from] !== '{') return { labels, end: from };
  const one = /\s*([a-zA-Z_][\w.]*)\s*=\s*"((?:[^"\\]|\\.)*)"\s*(,?)/y;
  let at = from + 1;
  for (;;) {
    one.lastIndex = at;
    const match = one.exec(text);
    if (!match) break;
    labels[match[1]!] = match[2]!.replace(/\\(.)/g, (_, character: string) =>
      character === 'n' ? '\n' : character,
    );
    at = one.lastIndex;
    if (match[3] === '') break;
  }
  const close = /\s*\}/y;
  close.lastIndex = at;
  return close.test(text) ? { labels, end: close.lastIndex } : undefined;
}

interface Built {
  identity: SeriesIdentity;
  at: number;
  columns: Record<string, number>;
  exemplars: Exemplar[];
}

/** Puts the lines of each histogram together; every other line is a point of its own. */
function pointsOf(
  samples: readonly Sample[],
  families: ReadonlyMap<string, Family>,
  sender: Readonly<Record<string, string>>,
): Built[] {
  const built: Built[] = [];
  const histograms = new Map<string, { built: Built; bounds: [bound: number, count: number][] }>();
  for (const sample of samples) {
    const { family, suffix, type, unit } = familyOf(sample.name, families);
    if (suffix === '_created') continue;
    const bucket = suffix === '_bucket' || suffix === '_gcount' || suffix === '_gsum';
    const ofHistogram =
      (type === 'histogram' || type === 'gaugehistogram') &&
      (bucket || suffix === '_count' || suffix === '_sum');
    if (!ofHistogram) {
      if (!Number.isFinite(sample.value)) continue;
      const total = type === 'counter' || (type === 'summary' && suffix !== '');
      const labels = ownLabels(sample.labels, sender);
      // The name is the one that stands in the text, which is what a person looks for.
      const identity: SeriesIdentity = {
        metric: sample.name,
        unit,
        kind: total ? 'sum' : 'gauge',
        total,
        labels,
      };
      built.push({
        identity,
        at: sample.at,
        columns: { [COLUMN_OF.value]: sample.value },
        exemplars: exemplarIn(sample, identity),
      });
      continue;
    }
    const { le, ...rest } = sample.labels;
    const identity: SeriesIdentity = {
      metric: family,
      unit,
      kind: 'histogram',
      total: type === 'histogram',
      labels: ownLabels(rest, sender),
    };
    const key = JSON.stringify([family, Object.entries(rest).sort(), sample.at]);
    let histogram = histograms.get(key);
    if (!histogram) {
      histogram = { built: { identity, at: sample.at, columns: {}, exemplars: [] }, bounds: [] };
      histograms.set(key, histogram);
      built.push(histogram.built);
    }
    histogram.built.exemplars.push(...exemplarIn(sample, identity));
    if (suffix === '_bucket') histogram.bounds.push([readNumber(le ?? 'nan'), sample.value]);
    else if (Number.isFinite(sample.value))
      histogram.built.columns[suffix.endsWith('sum') ? COLUMN_OF.sum : COLUMN_OF.count] = sample.value;
  }
  for (const { built: one, bounds } of histograms.values()) fillBuckets(one.columns, bounds);
  return built.filter(({ columns }) => Object.keys(columns).length > 0);
}

/** Buckets from counts that each hold all that is below. */
function fillBuckets(columns: Record<string, number>, bounds: [bound: number, count: number][]): void {
  bounds.sort(([a], [b]) => a - b);
  let low = -Infinity;
  let below = 0;
  for (const [high, count] of bounds) {
    if (Number.isNaN(high) || !Number.isFinite(count)) continue;
    if (count > below) columns[bucketColumn(low, high)] = count - below;
    low = high;
    below = Math.max(below, count);
  }
  if (bounds.length > 0) columns[COLUMN_OF.count] ??= below;
}

function familyOf(
  name: string,
  families: ReadonlyMap<string, Family>,
): Family & { family: string; suffix: string } {
  const suffix = SUFFIXES.find((end) => name.endsWith(end)) ?? '';
  const base = name.slice(0, name.length - suffix.length);
  // In the older form a counter's comment has the whole name.
  const exact = families.get(name);
  if (exact) return { ...exact, family: suffix === '_total' ? base : name, suffix: '' };
  const known = suffix === '' ? undefined : families.get(base);
  if (known) return { ...known, family: base, suffix };
  if (suffix === '_total') return { type: 'counter', unit: '', family: base, suffix };
  return { type: 'unknown', unit: '', family: name, suffix: '' };
}

/** Labels under the names that Flail joins on; the sender's where a line has none. */
function ownLabels(
  labels: Readonly<Record<string, string>>,
  sender: Readonly<Record<string, string>>,
): Record<string, string> {
  const own: Record<string, string> = { ...sender };
  for (const [name, value] of Object.entries(labels)) own[fieldName(name)] = value;
  return own;
}

function exemplarIn({ exemplar }: Sample, series: SeriesIdentity): Exemplar[] {
  if (!exemplar || !Number.isFinite(exemplar.value)) return [];
  const named = Object.fromEntries(
    Object.entries(exemplar.labels).map(([name, value]) => [fieldName(name), value]),
  );
  return [
    {
      series,
      at: exemplar.at,
      value: exemplar.value,
      ...(named.trace !== undefined && { trace: named.trace }),
      ...(named.span !== undefined && { span: named.span }),
    },
  ];
}
