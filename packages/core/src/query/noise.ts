import { linesOf } from '../segments/lines.js';
import type { SegmentView } from '../segments/view.js';
import type { Rows } from './selection.js';
import { rowsOf, type Window } from './window.js';

/** Lines of one layout from one sender: how many, and what the ones looked at come to. */
export interface NoiseCell {
  layout: number;
  context: number;
  records: number;
  /** Lines looked at, and their bytes as received, line ends included. */
  looked: number;
  bytes: number;
  /** What the lines looked at say, text and fields, by its hash, and how many say it. */
  texts: Map<number, number>;
}

/** Lines of one layout and sender that are looked at in a segment; of more, so many evenly spread. */
const LOOKED_AT = 400;
const encoder = new TextEncoder();

/** Measures the lines of a segment by layout and sender. */
export async function noiseOf(view: SegmentView, rows: Rows, window: Window): Promise<NoiseCell[]> {
  const [from, to] = rowsOf(await view.times(), window);
  const [layouts, contexts] = [await view.layouts(), await view.contexts()];
  const { summary } = view;
  const byCell = new Map<number, number[]>();
  for (let row = from; row < to; row++) {
    if (rows !== true && (rows as Uint8Array)[row] === 0) continue;
    const key = layouts[row]! * summary.contexts.length + contexts[row]!;
    const own = byCell.get(key);
    if (own) own.push(row);
    else byCell.set(key, [row]);
  }
  if (byCell.size === 0) return [];
  const lineOf = await linesOf(view);
  const cells: NoiseCell[] = [];
  for (const own of byCell.values()) {
    const step = Math.max(1, own.length / LOOKED_AT);
    const cell: NoiseCell = {
      layout: view.layout(layouts[own[0]!]!).id,
      context: summary.contexts[contexts[own[0]!]!]!,
      records: own.length,
      looked: 0,
      bytes: 0,
      texts: new Map(),
    };
    for (let at = 0; at < own.length; at += step) {
      const row = own[Math.floor(at)]!;
      const line = lineOf(row);
      cell.looked++;
      cell.bytes += (typeof line === 'string' ? encoder.encode(line).length : line.length) + 1;
      const hash = hashOf(JSON.stringify([await view.text(row), ...(await view.fields(row))]));
      cell.texts.set(hash, (cell.texts.get(hash) ?? 0) + 1);
    }
    cells.push(cell);
  }
  return cells;
}

/** What lines of one pattern and source come to. */
export interface Noise {
  records: number;
  bytes: number;
  /** True where every line was looked at. */
  measured: boolean;
  /** Share of the lines that say word for word what another of them says. */
  repeated: number;
}

/** Puts cells together; bytes of lines not looked at are taken to be as those of the same layout that were. */
export function noiseTogether(cells: readonly NoiseCell[]): Noise {
  let [records, bytes, looked, repeated] = [0, 0, 0, 0];
  const texts = new Map<number, number>();
  for (const cell of cells) {
    records += cell.records;
    bytes += (cell.bytes / cell.looked) * cell.records;
    looked += cell.looked;
    for (const [hash, count] of cell.texts) texts.set(hash, (texts.get(hash) ?? 0) + count);
  }
  for (const count of texts.values()) if (count > 1) repeated += count;
  return {
    records,
    bytes: Math.round(bytes),
    measured: looked === records,
    repeated: looked === 0 ? 0 : repeated / looked,
  };
}

function hashOf(text: string): number {
  let hash = 0x811c9dc5;
  for (let at = 0; at < text.length; at++) hash = Math.imul(hash ^ text.charCodeAt(at), 0x01000193);
  return hash >>> 0;
}

/** Characters that mean something in regular expressions. */
const SPECIAL = /[\\^$.*+?()[\]{}|]/g;
/** Types of slots whose values have no blanks in them. */
const WITHOUT_BLANKS = new Set([
  ...['number', 'duration', 'size', 'percentage', 'hex', 'uuid', 'ip', 'url', 'email', 'identifier'],
]);

/** A regular expression (RE2) for the texts of a pattern: constants as they are, anything in the gaps. */
export function filterOf(sentence: readonly ({ text: string } | { slot: string; type: string })[]): string {
  const parts = sentence.map((part) => {
    if ('text' in part) return part.text.replace(SPECIAL, '\\$&').replaceAll('\n', '\\n');
    return WITHOUT_BLANKS.has(part.type) ? '\\S+' : '[\\s\\S]*';
  });
  return parts.join('');
}
