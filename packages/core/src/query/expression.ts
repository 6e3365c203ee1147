import type { SyntaxNode } from '@lezer/common';
import { fieldName } from '../records/fields.js';
import { parser } from './grammar/parser.js';

export { parser as expressionParser } from './grammar/parser.js';

export type Operator = '=' | '!=' | '<' | '<=' | '>' | '>=';

/** A filter: a tree of conditions. */
export type Condition =
  | { kind: 'all' }
  | { kind: 'and' | 'or'; terms: Condition[] }
  | { kind: 'not'; term: Condition }
  | { kind: 'compare'; field: string; operator: Operator; value: string }
  /** With `literal`, values are compared character by character, without wildcards or units. */
  | { kind: 'in'; field: string; values: string[]; literal?: boolean }
  | { kind: 'presence'; field: string; present: boolean }
  | { kind: 'text'; phrase: string }
  | { kind: 'pattern'; ref: string };

export const ALL: Condition = { kind: 'all' };

/** Words that stand for something in the language; to search for one of them, quote it. */
export const KEYWORDS = ['and', 'or', 'not', 'in', 'is', 'present', 'absent', 'pattern', 'then'] as const;

/** What is wrong with an expression, where, and what was expected there. */
export interface ExpressionProblem {
  from: number;
  to: number;
  message: string;
}

/** Thrown for an expression that can't be read. */
export class ExpressionError extends Error {
  readonly code = 'expression';

  constructor(
    readonly expression: string,
    readonly problem: ExpressionProblem,
  ) {
    super(problem.message);
  }
}

/** Reads an expression. Throws an `ExpressionError` with the first problem. */
export function parseExpression(expression: string): Condition {
  const problem = checkExpression(expression);
  if (problem) throw new ExpressionError(expression, problem);
  const top = parser.parse(expression).topNode.firstChild;
  return top ? conditionOf(top, expression) : ALL;
}

/** The first problem of an expression, or undefined when it can be read. */
export function checkExpression(expression: string): ExpressionProblem | undefined {
  const then = stepsAt(expression);
  if (then) {
    return {
      from: then.from,
      to: then.to,
      message: 'Steps after "then" belong to a summary; a scope is the filter alone.',
    };
  }
  let problem: ExpressionProblem | undefined;
  parser.parse(expression).iterate({
    enter(node) {
      if (node.type.isError && !problem) problem = problemAt(expression, node.from, node.to);
      return problem === undefined;
    },
  });
  return problem;
}

const textOf = (node: SyntaxNode, source: string): string => source.slice(node.from, node.to);

/** The first `then` that stands as a word of its own. */
function stepsAt(source: string): { from: number; to: number } | undefined {
  let found: { from: number; to: number } | undefined;
  parser.parse(source).iterate({
    enter(node) {
      if (node.name === 'Word' && source.slice(node.from, node.to).toLowerCase() === 'then') {
        found ??= { from: node.from, to: node.to };
      }
    },
  });
  return found;
}

/** The value that a node stands for, without its quotes. */
function valueOf(node: SyntaxNode, source: string): string {
  const text = textOf(node, source);
  return text.startsWith('"') ? text.slice(1, -1).replace(/\\(.)/gs, '$1') : text;
}

function conditionOf(node: SyntaxNode, source: string): Condition {
  switch (node.name) {
    case 'Or':
    case 'And': {
      const kind = node.name === 'Or' ? 'or' : 'and';
      const terms = childrenOf(node)
        .filter((child) => child.name !== 'Keyword')
        .map((child) => conditionOf(child, source))
        .flatMap((term) => (term.kind === kind ? term.terms : [term]));
      return { kind, terms };
    }
    case 'Not':
      return { kind: 'not', term: conditionOf(node.lastChild!, source) };
    case 'Group':
      return conditionOf(childrenOf(node)[0]!, source);
    case 'Comparison': {
      const [field, operator, value] = childrenOf(node);
      return {
        kind: 'compare',
        field: fieldName(textOf(field!, source)),
        operator: textOf(operator!, source) as Operator,
        value: valueOf(value!, source),
      };
    }
    case 'Membership': {
      const values = node.getChildren('Value').map((value) => valueOf(value, source));
      return { kind: 'in', field: fieldName(textOf(node.getChild('Field')!, source)), values };
    }
    case 'Presence':
      return {
        kind: 'presence',
        field: fieldName(textOf(node.getChild('Field')!, source)),
        present: node.getChild('Present') !== null,
      };
    case 'PatternTerm':
      return { kind: 'pattern', ref: valueOf(node.getChild('Value')!, source) };
    case 'Text':
      return { kind: 'text', phrase: valueOf(node, source) };
    default:
      throw new Error(`The grammar has a node that is not understood: ${node.name}.`);
  }
}

/** Named children; the parentheses of a group have no part in its meaning. */
function childrenOf(node: SyntaxNode): SyntaxNode[] {
  const children: SyntaxNode[] = [];
  for (let child = node.firstChild; child; child = child.nextSibling) {
    if (child.name !== '(' && child.name !== ')') children.push(child);
  }
  return children;
}

const TOKEN = /"(?:[^"\\]|\\.)*"?|[(),]|!=|<=|>=|[=<>~!]|[^\s()",=!<>~]+/gs;

/** Says what was expected at the place where reading failed, from the token before it. */
function problemAt(source: string, from: number, to: number): ExpressionProblem {
  const tokens = [...source.matchAll(TOKEN)].map((match) => ({
    text: match[0],
    from: match.index,
    to: match.index + match[0].length,
  }));
  const here = tokens.find((token) => token.to > from || token.from >= from);
  const before = tokens.filter((token) => token.to <= (here?.from ?? source.length)).at(-1);
  const place = here ?? { from: before?.to ?? from, to: Math.max(before?.to ?? to, to), text: '' };
  const say = (message: string): ExpressionProblem => ({
    from: place.from,
    to: Math.max(place.to, place.from),
    message,
  });
  const found = here
    ? `, found ${here.text.length > 30 ? `${here.text.slice(0, 30)}…` : here.text}`
    : ', found the end';

  if (here?.text.startsWith('"') && (here.text.length === 1 || !here.text.endsWith('"'))) {
    return say('A closing quote was expected.');
  }
  if (here?.text === '~')
    return say('Regular expressions are not available; expected =, !=, <, <=, > or >=.');
  if (here?.text === '!') return say('Expected != for "is not", or the word not before a condition.');
  const word = before?.text.toLowerCase();
  if (word === undefined) return say(`Expected a condition, such as level = error or "some text"${found}.`);
  if (/^(=|!=|<=?|>=?)$/.test(word))
    return say(`Expected a value after ${word}, such as error, 250 or "two words"${found}.`);
  if (word === 'and' || word === 'or' || word === 'not')
    return say(`Expected a condition after ${word}${found}.`);
  if (word === 'is') return say(`Expected present or absent after is${found}.`);
  if (word === 'in') return say(`Expected a list in parentheses after in, such as (a, b)${found}.`);
  if (word === 'pattern') return say(`Expected the id of a pattern${found}.`);
  const list = openList(tokens, place.from);
  if (list) {
    return word === '(' || word === ','
      ? say(`Expected a value of the list${found}.`)
      : say(`Expected a comma or ) in the list${found}.`);
  }
  if (word === '(') return say(`Expected a condition after (${found}.`);
  if (!here) return say('Expected a closing ).');
  if (here.text === ')') return say('This ) has no ( before it.');
  if (/^(=|!=|<=?|>=?)$/.test(here.text)) return say(`Expected the name of a field before ${here.text}.`);
  return say(`Expected and, or, or the end${found}.`);
}

/** True when the place lies inside the parentheses that follow `in`. */
function openList(tokens: readonly { text: string; from: number }[], at: number): boolean {
  const open: boolean[] = [];
  tokens.forEach((token, index) => {
    if (token.from >= at) return;
    if (token.text === '(') open.push(tokens[index - 1]?.text.toLowerCase() === 'in');
    else if (token.text === ')') open.pop();
  });
  return open.at(-1) === true;
}

/** Writes a value so that the language reads it back as it is. */
export function quoteValue(value: string): string {
  const bare =
    /^[^\s()",=!<>~]+$/.test(value) && !(KEYWORDS as readonly string[]).includes(value.toLowerCase());
  return bare ? value : `"${value.replace(/[\\"]/g, '\\$&')}"`;
}

/** The expression narrowed by one more condition; `without` turns the condition round. A condition that is there already is not added again. */
export function narrow(expression: string, term: string, without = false): string {
  const added = without ? `not ${term}` : term;
  const opposite = without ? term : `not ${term}`;
  const terms = topTerms(expression).filter((present) => present !== added && present !== opposite);
  return [...terms, added].join(' and ');
}

/** The conditions that an expression joins by `and`, as they are written. */
function topTerms(expression: string): string[] {
  const source = expression.trim();
  if (source === '') return [];
  if (checkExpression(source)) return [source];
  const top = parser.parse(source).topNode.firstChild!;
  const parts: string[] = [];
  const collect = (node: SyntaxNode): void => {
    if (node.name === 'And') childrenOf(node).forEach((child) => child.name !== 'Keyword' && collect(child));
    else parts.push(node.name === 'Or' ? `(${textOf(node, source)})` : textOf(node, source));
  };
  collect(top);
  return parts;
}
