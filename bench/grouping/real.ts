import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { MemoryStore } from '../../packages/core/src/testing/memory-store.js';
import type { SegmentView } from '../../packages/core/src/segments/view.js';

/** Lines of one program, with the statement that each is known to come from. */
export interface RealSource {
  name: string;
  bytes: Buffer;
  /** Statement of each line by its number, from 1. */
  labels: ReadonlyMap<number, string>;
  /** The other reading, where a choice is doubtful. */
  others: ReadonlyMap<number, string>;
  /** Numbers of the lines with which records begin, where that is known. */
  opens: ReadonlySet<number> | undefined;
}

/** What became of a source's lines when they were taken in. */
export interface TakenRecord {
  /** Numbers of its lines, from 1. */
  firstLine: number;
  lines: number;
  layout: number;
  text: string;
  /** Whether its line told a time. */
  timed: boolean;
  /** Level code; 0 where its line told none. */
  level: number;
}

/** A CSV file of two columns, by the first of them. */
function readPairs(file: string): Map<number, string> {
  let text: string;
  try {
    text = readFileSync(file, 'utf8');
  } catch {
    return new Map();
  }
  const pairs = new Map<number, string>();
  for (const line of text.split(/\r?\n/)) {
    const comma = line.indexOf(',');
    const key = Number(line.slice(0, comma));
    if (comma > 0 && Number.isInteger(key)) pairs.set(key, line.slice(comma + 1).trim());
  }
  return pairs;
}

function opensOf(file: string): Set<number> | undefined {
  const records = readPairs(file);
  return records.size === 0 ? undefined : new Set(records.keys());
}

/** The labelled sources in a folder: each a folder with `lines.txt` and `labels.csv`. */
export function realSources(folder: string): RealSource[] {
  return readdirSync(folder, { withFileTypes: true })
    .filter((entry) => entry.isDirectory())
    .map(({ name }) => name)
    .sort()
    .map((name) => {
      const at = (file: string): string => join(folder, name, file);
      return {
        name,
        bytes: readFileSync(at('lines.txt')),
        labels: readPairs(at('labels.csv')),
        others: readPairs(at('labels_alt.csv')),
        opens: opensOf(at('records.csv')),
      };
    });
}

/** Takes sources in as the server does, all into one data set; the records of each in the order of their lines. */
export async function takeIn(
  sources: readonly RealSource[],
): Promise<{ store: MemoryStore; taken: TakenRecord[][] }> {
  const store = new MemoryStore();
  for (const { name, bytes } of sources) store.take(bytes, { source: name, chunk: 65_536 });
  const found: { seq: number; context: number; record: TakenRecord }[] = [];
  for (const view of store.views()) found.push(...(await recordsOf(view)));
  found.sort((a, b) => a.seq - b.seq);
  const taken: TakenRecord[][] = sources.map(() => []);
  for (const { context, record } of found) {
    const last = taken[context]!.at(-1);
    record.firstLine = last ? last.firstLine + last.lines : 1;
    taken[context]!.push(record);
  }
  return { store, taken };
}

const holesOf = (view: SegmentView, shape: number): Set<string> => {
  const { holes, shadows } = view.catalog.shape(view.summary.shapes[shape]!);
  return new Set([...holes.map(({ name }) => name), ...shadows]);
};

async function recordsOf(view: SegmentView) {
  const [seqs, layouts, contexts, shapes, levels] = await Promise.all([
    view.seqs(),
    view.layouts(),
    view.contexts(),
    view.shapes(),
    view.levels(),
  ]);
  const found = [];
  for (let row = 0; row < view.count; row++) {
    const line = Buffer.from(await view.line(row)).toString('utf8');
    found.push({
      seq: seqs[row]!,
      context: view.summary.contexts[contexts[row]!]!,
      record: {
        firstLine: 0,
        lines: line.split('\n').length,
        layout: view.summary.layouts[layouts[row]!]!,
        text: await view.text(row),
        timed: holesOf(view, shapes[row]!).has('time'),
        level: levels[row]!,
      },
    });
  }
  return found;
}
