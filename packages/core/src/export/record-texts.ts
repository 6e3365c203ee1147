import { LEVELS } from '../records/levels.js';
import { linesOf } from '../segments/lines.js';
import { PACKED, unpackFields } from '../segments/packed.js';
import type { SegmentView } from '../segments/view.js';
import { momentText } from '../time/moments.js';
import { csvLine } from './csv.js';
import { otlpRecord } from './otlp-record.js';

/** What a file of records may be: the lines as received, JSON lines, a table, or records of OTLP. */
export type RecordFormat = 'text' | 'jsonl' | 'csv' | 'otlp';

/** A record with all that is known of it. */
export interface WholeRecord {
  micros: number;
  level: number;
  service: string;
  source: string;
  text: string;
  /** Fields of the line, and what the sender declared. */
  fields: Record<string, string>;
  sender: Record<string, string>;
}

/** Columns of a table where none are chosen. */
export const USUAL_COLUMNS = ['time', 'level', 'service', 'text'] as const;

/** Gives each record of a segment in a format, line end included; lines that are no text as the bytes they came as. */
export async function recordTexts(
  view: SegmentView,
  format: RecordFormat,
  columns: readonly string[],
): Promise<(row: number) => string | Uint8Array> {
  if (format === 'text') {
    const lineOf = await linesOf(view);
    return (row) => {
      const line = lineOf(row);
      return typeof line === 'string' ? `${line}\n` : withLineEnd(line);
    };
  }
  const recordOf = await recordsFrom(view);
  switch (format) {
    case 'jsonl':
      return (row) => `${JSON.stringify(jsonOf(recordOf(row)))}\n`;
    case 'csv':
      return (row) => csvLine(valuesOf(recordOf(row), columns));
    case 'otlp':
      return (row) => `${JSON.stringify(otlpRecord(recordOf(row)))}\n`;
  }
}

function withLineEnd(line: Uint8Array): Uint8Array {
  const ended = new Uint8Array(line.length + 1);
  ended.set(line);
  ended[line.length] = 10;
  return ended;
}

function jsonOf({ micros, level, service, source, text, fields, sender }: WholeRecord): object {
  return { time: momentText(micros), level: LEVELS[level], service, source, text, ...sender, ...fields };
}

function valuesOf(record: WholeRecord, columns: readonly string[]): string[] {
  const { micros, level, fields, sender } = record;
  return columns.map((column) => {
    switch (column) {
      case 'time':
        return momentText(micros);
      case 'level':
        return LEVELS[level]!;
      case 'service':
      case 'source':
      case 'text':
        return record[column];
      default:
        return fields[column] ?? sender[column] ?? '';
    }
  });
}

/** Reads all columns of a segment first, so that no record has to be waited for. */
async function recordsFrom(view: SegmentView): Promise<(row: number) => WholeRecord> {
  const { summary, catalog } = view;
  const [times, levels, services, contexts, shapes, layouts, ranks] = [
    await view.times(),
    await view.levels(),
    await view.services(),
    await view.contexts(),
    await view.shapes(),
    await view.layouts(),
    await view.ranks(),
  ];
  const slots = await Promise.all(summary.layouts.map((_, code) => view.slots(code)));
  const columns = await Promise.all(
    summary.fields.map(async (name) => [name, (await view.columnOf(name))!] as const),
  );
  const byName = new Map(columns);
  const known = summary.shapes.map((id) => {
    const shape = catalog.shape(id);
    return [...shape.holes.map((hole) => hole.name), ...shape.shadows].flatMap((name) => {
      const values = byName.get(name);
      return values ? [{ name, values }] : [];
    });
  });
  const senders = summary.contexts.map((id) => catalog.context(id));
  return (row) => {
    const fields: Record<string, string> = {};
    for (const { name, values } of known[shapes[row]!]!) {
      const at = values.rows[row]!;
      if (at < 0) continue;
      if (name !== PACKED) fields[name] = values.column.get(at);
      else for (const [own, value] of unpackFields(values.column.get(at))) fields[own] = value;
    }
    const code = layouts[row]!;
    const layout = view.layout(code);
    let text = layout.literals[0]!;
    slots[code]!.forEach((column, slot) => (text += column.get(ranks[row]!) + layout.literals[slot + 1]!));
    const { source, attributes } = senders[contexts[row]!]!;
    const service = summary.services[services[row]!]!;
    return { micros: times[row]!, level: levels[row]!, service, source, text, fields, sender: attributes };
  };
}
