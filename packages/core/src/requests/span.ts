import { OperationNames } from './operation-names.js';
import type { SegmentView } from '../segments/view.js';

/** Kinds of span, as OpenTelemetry names them. */
export type SpanKind = 'unset' | 'internal' | 'server' | 'client' | 'producer' | 'consumer';

/** A span as far as its place and time in a request go. */
export interface Span {
  trace: string;
  id: string;
  /** Id of the span that it was begun by; empty for the first of a request. */
  parent: string;
  service: string;
  /** Name of the operation. */
  name: string;
  /** What it was called, where that says more. */
  text?: string;
  kind: SpanKind;
  /** Microseconds since 1970, parts of one included. */
  from: number;
  to: number;
  failed: boolean;
  /** Whom it asked, where that one records no spans of its own. */
  peer: string;
  /** How many spans it stands for, where only some are kept. */
  weight: number;
  /** What its sender declared of itself: instance, host, site, version… */
  sender: Readonly<Record<string, string>>;
  /** Why it failed, where it says so. */
  message: string;
  /** Where it stands in the store: segment (its key) and row. */
  segment: string;
  row: number;
}

/** Name of an attribute that says how many requests a kept one stands for. */
export const SAMPLED_ONE_IN = 'sampling.one_in';
/** Attributes of a span that are told as parts of it, not as fields. */
export const SPAN_OWN = ['trace', 'span', 'parent', 'kind', 'duration', 'status', SAMPLED_ONE_IN] as const;

/** Reads the values of a field by row; empty where a row has none. */
export async function fieldReader(view: SegmentView, name: string): Promise<(row: number) => string> {
  const field = await view.field(name);
  if (!field) return () => '';
  const { rows, column } = field;
  return (row) => (rows[row]! < 0 ? '' : column.get(rows[row]!));
}

/** What a sampling rate counts for: at least the span itself. */
export function weightOf(oneIn: string): number {
  const weight = Number(oneIn);
  return weight >= 1 ? weight : 1;
}

/** Reads the spans of a segment by row. */
export async function spanReader(view: SegmentView): Promise<(row: number) => Span> {
  const [times, services, contexts, durations, trace, id, parent, kind, status, peer, oneIn, nanos, message] =
    await Promise.all([
      view.times(),
      view.services(),
      view.contexts(),
      view.fieldNumbers('duration'),
      fieldReader(view, 'trace'),
      fieldReader(view, 'span'),
      fieldReader(view, 'parent'),
      fieldReader(view, 'kind'),
      fieldReader(view, 'status'),
      fieldReader(view, 'peer.service'),
      fieldReader(view, SAMPLED_ONE_IN),
      fieldReader(view, 'nanos'),
      fieldReader(view, 'status.message'),
    ] as const);
  const names = await nameReader(view);
  const texts = await textReader(view);
  const senders = view.summary.contexts.map((context) => view.catalog.context(context).attributes);
  return (row) => {
    const from = times[row]! + Number(nanos(row)) / 1000;
    const seconds = durations?.values[row] ?? 0;
    const [name, text] = [names(row), texts(row)];
    return {
      trace: trace(row),
      id: id(row),
      parent: parent(row),
      service: view.summary.services[services[row]!]!,
      name,
      ...(text !== name && { text }),
      kind: kind(row) as SpanKind,
      from,
      to: from + (Number.isNaN(seconds) ? 0 : seconds * 1e6),
      failed: status(row) === 'error',
      peer: peer(row),
      weight: weightOf(oneIn(row)),
      sender: senders[contexts[row]!]!,
      message: message(row),
      segment: view.key,
      row,
    };
  };
}

/** Reads what spans were called, as it was recorded: their text, put together from layout and slots. */
export async function textReader(view: SegmentView): Promise<(row: number) => string> {
  const layouts = await view.layouts();
  const ranks = await view.ranks();
  const texts = await Promise.all(
    view.summary.layouts.map(async (_, code) => {
      const { literals } = view.layout(code);
      if (literals.length === 1) return () => literals[0]!;
      const slots = await view.slots(code);
      return (rank: number) =>
        literals.reduce((text, literal, at) => text + slots[at - 1]!.get(rank) + literal);
    }),
  );
  return (row) => texts[layouts[row]!]!(ranks[row]!);
}

/** What has been learnt of the names of operations in this thread. */
const operations = new OperationNames();

/**
 * Reads the names of the operations that spans are of: what they were called, without what tells one call from
 * another. All that a segment holds is taken note of first, so that its names are of one kind.
 */
export async function nameReader(view: SegmentView): Promise<(row: number) => string> {
  const [texts, layouts, services] = [await textReader(view), await view.layouts(), await view.services()];
  const serviceOf = (row: number): string => view.summary.services[services[row]!]!;
  // What has no slot is a name of few words, of which there are few.
  const vary = view.summary.layouts.map((_, code) => view.layout(code).types !== '');
  await view.cached('operations learnt', () => {
    const met = function* (): Generator<[string, string]> {
      for (let row = 0; row < view.count; row++) yield [serviceOf(row), texts(row)];
    };
    operations.learn(met());
    return Promise.resolve([true, 10]);
  });
  const constant = new Map<string, string>();
  return (row) => {
    const code = layouts[row]!;
    if (vary[code]) return operations.of(serviceOf(row), texts(row));
    const key = `${code}/${services[row]}`;
    let name = constant.get(key);
    if (name === undefined) constant.set(key, (name = operations.of(serviceOf(row), texts(row))));
    return name;
  };
}
