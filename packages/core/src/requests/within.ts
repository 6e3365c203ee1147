import type { Condition } from '../query/expression.js';

/** Traces that are meant, or all but them. */
export interface TraceSet {
  traces: ReadonlySet<string>;
  /** True where all others are meant. */
  others: boolean;
}

export const ALL_TRACES: TraceSet = { traces: new Set(), others: true };

export const isWithin = ({ traces, others }: TraceSet, trace: string): boolean =>
  traces.has(trace) !== others;

/**
 * The requests that a filter means: it is asked of all records of a request together. A comparison holds
 * where some span or line has it, `and`, `or` and `not` join what holds of the request: so `not` leaves out
 * requests of which any record has it.
 *
 * @param tracesOf traces of which some record has what a single comparison asks for
 */
export async function requestsWithin(
  condition: Condition,
  tracesOf: (term: Condition) => Promise<ReadonlySet<string>>,
): Promise<TraceSet> {
  switch (condition.kind) {
    case 'all':
      return ALL_TRACES;
    case 'not': {
      const { traces, others } = await requestsWithin(condition.term, tracesOf);
      return { traces, others: !others };
    }
    case 'and':
    case 'or': {
      const [first, ...rest] = await Promise.all(
        condition.terms.map((term) => requestsWithin(term, tracesOf)),
      );
      const join = condition.kind === 'and' ? both : either;
      return rest.reduce(join, first!);
    }
    case 'compare':
      if (condition.operator !== '!=') break;
      return opposite(await requestsWithin({ ...condition, operator: '=' }, tracesOf));
    case 'presence':
      if (condition.present) break;
      return opposite(await requestsWithin({ ...condition, present: true }, tracesOf));
    case 'in':
    case 'match':
    case 'text':
    case 'pattern':
      break;
  }
  return { traces: await tracesOf(condition), others: false };
}

function both(a: TraceSet, b: TraceSet): TraceSet {
  if (a.others && b.others) return { traces: new Set([...a.traces, ...b.traces]), others: true };
  const [given, other] = a.others ? [b, a] : [a, b];
  return { traces: new Set([...given.traces].filter((trace) => isWithin(other, trace))), others: false };
}

const opposite = ({ traces, others }: TraceSet): TraceSet => ({ traces, others: !others });

/** What either means is what is not left out by both (De Morgan). */
const either = (a: TraceSet, b: TraceSet): TraceSet => opposite(both(opposite(a), opposite(b)));
