import { quoteValue } from '../query/expression.js';
import type { FeatureName } from './table.js';

/** What a term asks, by values rather than codes. */
export interface ToldTerm {
  feature: FeatureName;
  is: 'in' | 'range' | 'present' | 'absent';
  values?: readonly string[];
  low?: number;
  high?: number;
}

/** Fields whose names need no quotes in an expression. */
const PLAIN = /^[A-Za-z_@][\w.@/-]*$/;

/**
 * A term as a filter of requests; undefined where no filter says it: counts of calls, states of instances and jobs
 * that ran beside are nothing that one record has.
 */
export function termExpression({ feature, is, values = [], low, high }: ToldTerm): string | undefined {
  const { kind, name, service, pattern, slot } = feature;
  if (kind === 'calls' || kind === 'time' || kind === 'metric' || kind === 'run') return undefined;
  if (kind === 'pattern') {
    if (pattern === undefined) return undefined;
    return is === 'absent' ? `not pattern ${pattern}` : `pattern ${pattern}`;
  }
  if (feature.inside !== undefined) return insideText(feature.inside, name, is, values);
  const field = kind === 'slot' ? `slot.${slot}` : name;
  if (!PLAIN.test(field)) return undefined;
  const own = askText(field, is, values, low, high);
  if (own === undefined) return undefined;
  if (kind === 'slot') return `pattern ${pattern} and ${own}`;
  // One name of an instance, host or version says by itself whose it is, but for a version.
  return service !== undefined && name === 'service.version'
    ? `service = ${quoteValue(service)} and ${own}`
    : own;
}

function askText(
  field: string,
  is: ToldTerm['is'],
  values: readonly string[],
  low: number | undefined,
  high: number | undefined,
): string | undefined {
  switch (is) {
    case 'in':
      return values.length === 1
        ? `${field} = ${quoteValue(values[0]!)}`
        : `${field} in (${values.map(quoteValue).join(', ')})`;
    case 'range':
      return [
        ...(low === undefined ? [] : [`${field} >= ${low}`]),
        ...(high === undefined ? [] : [`${field} < ${high}`]),
      ].join(' and ');
    case 'present':
      return `${field} is present`;
    case 'absent':
      return `${field} is absent`;
  }
}

/** What stands in a value that is JSON, as an expression on its text; parts of numbers can not be said so. */
function insideText(
  field: string,
  path: string,
  is: ToldTerm['is'],
  values: readonly string[],
): string | undefined {
  if (!PLAIN.test(field)) return undefined;
  const member = `"${escaped(JSON.stringify(path.split('.').at(-1)!).slice(1, -1))}"\\s*:`;
  switch (is) {
    case 'in': {
      const either = values.map((value) => escaped(JSON.stringify(value).slice(1, -1))).join('|');
      return `${field} ~ /${member}\\s*"?(?:${either})"?\\s*[,}\\]]/`;
    }
    case 'range':
      return undefined;
    case 'present':
      return `${field} ~ /${member}/`;
    case 'absent':
      return `not ${field} ~ /${member}/`;
  }
}

const escaped = (text: string): string => text.replaceAll(/[.*+?^${}()|[\]\\/]/g, '\\$&');

/** Terms as one filter, and how many of them it can not say. */
export function termsExpression(terms: readonly ToldTerm[]): { expression?: string; unsaid: number } {
  const said = terms.map(termExpression).filter((one) => one !== undefined);
  const unsaid = terms.length - said.length;
  return said.length === 0 ? { unsaid } : { expression: said.join(' and '), unsaid };
}
