import type { SyntaxNode } from '@lezer/common';
import { fieldName } from '../records/fields.js';
import {
  type Argument,
  argumentName,
  DERIVED,
  type DerivedName,
  type Measure,
  MEASURES,
  type MeasureName,
  type Step,
  type Summary,
  type TableCondition,
} from './steps.js';
import { quantityOf } from '../records/quantity.js';
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
  /** A regular expression that a field's value, or the text, holds a match of. */
  | { kind: 'match'; field: string; pattern: string; ignoreCase: boolean }
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

/** A filter with the steps that follow it. */
export interface Query {
  filter: Condition;
  steps: Step[];
}

/** Reads a filter. Throws an `ExpressionError` with the first problem; steps are one. */
export function parseExpression(expression: string): Condition {
  const problem = checkExpression(expression);
  if (problem) throw new ExpressionError(expression, problem);
  return filterOf(expression);
}

/** Reads an expression with its steps. Throws an `ExpressionError` with the first problem. */
export function parseQuery(expression: string): Query {
  const problem = checkExpression(expression, true);
  if (problem) throw new ExpressionError(expression, problem);
  return { filter: filterOf(expression), steps: stepsOf(expression) };
}

function filterOf(expression: string): Condition {
  const top = parser.parse(expression).topNode.firstChild;
  return top && !STEPS.has(top.name) && top.name !== 'Keyword' ? conditionOf(top, expression) : ALL;
}

const STEPS = new Set(['Summary', 'Where', 'Sort', 'Top']);

function stepsOf(expression: string): Step[] {
  const steps: Step[] = [];
  for (let node = parser.parse(expression).topNode.firstChild; node; node = node.nextSibling) {
    if (STEPS.has(node.name)) steps.push(stepOf(node, expression));
  }
  return steps;
}

/** Conditions of an expression that are joined by "and" and "or", and parentheses and "not" within one another. */
export const MAX_CONDITIONS = 200;
export const MAX_NESTING = 100;

/** Words in front of a place; what stands in quotes is one. */
const wordsBefore = (expression: string, at: number): number =>
  expression
    .slice(0, at)
    .replace(/"(?:[^"\\]|\\.)*"/g, '"')
    .split(/\s+/).length;

/** Conditions that stand side by side are joined too; behind very many, the parser finds fault with what is right. */
const tooLong = ({ from, to, message }: ExpressionProblem): ExpressionProblem => ({
  from,
  to,
  message: `${message} Or the expression is too long: it has ${MAX_CONDITIONS} conditions at most.`,
});

/** What is too much of an expression; the parser would find fault with something else. */
function limitProblem(expression: string): ExpressionProblem | undefined {
  let conditions = 1;
  let depth = 0;
  /** Those that are not over yet, of each open parenthesis. */
  const nots: number[] = [0];
  const tokens = /"(?:[^"\\]|\\.)*"|~\s*\/(?:[^/\\]|\\.)*\/|[()]|(?<![\w.@-])(?:and|or|not)(?![\w.@-])/gi;
  for (const { 0: token, index: from } of expression.matchAll(tokens)) {
    const at = { from, to: from + token.length };
    switch (token.toLowerCase()) {
      case 'and':
      case 'or':
        nots[nots.length - 1] = 0;
        if (++conditions > MAX_CONDITIONS)
          return {
            ...at,
            message: `An expression has ${MAX_CONDITIONS} conditions at most; for many values of one field, write: field in (a, b, …).`,
          };
        continue;
      case 'not':
        nots[nots.length - 1]!++;
        break;
      case '(':
        depth++;
        nots.push(0);
        break;
      case ')':
        if (depth > 0) {
          depth--;
          nots.pop();
        }
    }
    if (depth + nots.at(-1)! > MAX_NESTING)
      return { ...at, message: `Parentheses and "not" may lie ${MAX_NESTING} deep in one another at most.` };
  }
  return undefined;
}

/** The first problem of an expression, or undefined when it can be read. */
export function checkExpression(expression: string, steps = false): ExpressionProblem | undefined {
  const then = steps ? undefined : stepsAt(expression);
  if (then) {
    return {
      from: then.from,
      to: then.to,
      message: 'Steps after "then" belong to a summary; a scope is the filter alone.',
    };
  }
  const beyond = limitProblem(expression);
  if (beyond) return beyond;
  const problem = grammarProblem(expression);
  if (problem) return wordsBefore(expression, problem.from) > MAX_CONDITIONS ? tooLong(problem) : problem;
  try {
    filterOf(expression);
    stepsOf(expression);
  } catch (error) {
    if (error instanceof ExpressionError) return error.problem;
    throw error;
  }
  return undefined;
}

/** The first place at which an expression is not of the grammar. */
function grammarProblem(expression: string): ExpressionProblem | undefined {
  let problem: ExpressionProblem | undefined;
  parser.parse(expression).iterate({
    enter(node) {
      if (node.type.isError && !problem) problem = problemAt(expression, node.from, node.to);
      return problem === undefined;
    },
  });
  return problem;
}

/** Refuses a part of an expression whose grammar is right and whose meaning is not. */
function refuse(node: SyntaxNode, source: string, message: string): never {
  throw new ExpressionError(source, { from: node.from, to: node.to, message });
}

function stepOf(node: SyntaxNode, source: string): Step {
  switch (node.name) {
    case 'Summary':
      return summaryOf(node, source);
    case 'Where':
      return { kind: 'where', condition: tableCondition(node.lastChild!, source) };
    case 'Sort':
      return {
        kind: 'sort',
        keys: node.getChildren('SortKey').map((key) => ({
          column: columnOf(key, source),
          // Numbers interest from the largest on.
          descending: key.getChild('Keyword') ? textOf(key.getChild('Keyword')!, source) === 'desc' : true,
        })),
      };
    default: {
      const wanted = node.getChild('Count')!;
      const count = Number(textOf(wanted, source));
      if (!Number.isInteger(count) || count < 1)
        refuse(wanted, source, 'Expected a whole number after top, such as 10.');
      return { kind: 'top', count, ...(node.getChild('Column') && { by: columnOf(node, source) }) };
    }
  }
}

function columnOf(node: SyntaxNode, source: string): string {
  const column = textOf(node.getChild('Column')!, source);
  const field = node.getChild('Field');
  return field ? `${column}(${fieldName(textOf(field, source))})` : column;
}

const PERCENTILE = /^p(\d{1,2}(?:\.\d{1,3})?)$/;
const MAX_EVERY = 366 * 86_400;

function summaryOf(node: SyntaxNode, source: string): Summary {
  const every = node.getChild('Span');
  const span = every && quantityOf(textOf(every, source));
  if (every && (span?.dimension !== 'duration' || span.value < 0.001 || span.value > MAX_EVERY))
    refuse(every, source, 'Expected a length of time after every, such as 1m or 30s.');
  return {
    kind: 'summary',
    measures: node.getChildren('Measure').map((measure) => measureOf(measure, source)),
    by: node.getChildren('Key').map((key) => argumentOf(key.getChild('Argument')!, source)),
    ...(span && { every: Math.round(span.value * 1e6) }),
  };
}

function measureOf(node: SyntaxNode, source: string): Measure {
  const nameNode = node.getChild('Name')!;
  const written = textOf(nameNode, source).toLowerCase();
  const percentile = PERCENTILE.exec(written);
  if (!percentile && !(MEASURES as readonly string[]).includes(written)) {
    refuse(
      nameNode,
      source,
      `There is no step or measure "${written}"; there are where, sort, top, ${MEASURES.join(', ')} and percentiles such as p95.`,
    );
  }
  const name = percentile ? 'percentile' : (written as MeasureName);
  const argument = node.getChild('Argument');
  const of = argument && argumentOf(argument, source);
  const plain = name === 'count' || name === 'rate' || name === 'share';
  if (plain && argument) refuse(argument, source, `${written} counts records and takes no field.`);
  if (!plain && !of)
    refuse(
      nameNode,
      source,
      `Expected a field in parentheses after ${written}, such as ${written}(duration).`,
    );
  const alias = node.getChild('Alias');
  return {
    name,
    ...(of && { of }),
    ...(percentile && { percent: Number(percentile[1]) }),
    column: alias ? textOf(alias, source) : of ? `${written}(${argumentName(of)})` : written,
  };
}

function argumentOf(node: SyntaxNode, source: string): Argument {
  const call = node.getChild('Call');
  if (!call) return { field: fieldName(textOf(node.getChild('Field')!, source)) };
  const name = call.getChild('Name')!;
  const written = textOf(name, source).toLowerCase();
  if (!(DERIVED as readonly string[]).includes(written))
    refuse(
      name,
      source,
      `There is no value "${written}(…)"; there are ${DERIVED.map((one) => `${one}(…)`).join(', ')}.`,
    );
  const field = fieldName(textOf(call.getChild('Field')!, source));
  if (written !== 'length' && field !== 'time')
    refuse(call, source, `${written} is worked out from time: ${written}(time).`);
  return { field, call: written as DerivedName };
}

/** A condition over the columns of a summary. */
function tableCondition(node: SyntaxNode, source: string): TableCondition {
  switch (node.name) {
    case 'Or':
    case 'And': {
      const terms = childrenOf(node).filter((child) => child.name !== 'Keyword');
      return {
        kind: node.name === 'Or' ? 'or' : 'and',
        terms: terms.map((term) => tableCondition(term, source)),
      };
    }
    case 'Not':
      return { kind: 'not', term: tableCondition(node.lastChild!, source) };
    case 'Group':
      return tableCondition(childrenOf(node)[0]!, source);
    case 'Comparison': {
      const [column, operator, value] = childrenOf(node);
      return {
        kind: 'compare',
        column: textOf(column!, source),
        operator: textOf(operator!, source),
        value: valueOf(value!, source),
      };
    }
    case 'Membership':
      return {
        kind: 'in',
        column: textOf(node.getChild('Field')!, source),
        values: node.getChildren('Value').map((value) => valueOf(value, source)),
      };
    case 'Presence':
      return {
        kind: 'presence',
        column: textOf(node.getChild('Field')!, source),
        present: node.getChild('Present') !== null,
      };
    default:
      return refuse(node, source, 'After where, columns of the summary are compared, such as count > 100.');
  }
}

const textOf = (node: SyntaxNode, source: string): string => source.slice(node.from, node.to);

/** The first `then`. */
function stepsAt(source: string): { from: number; to: number } | undefined {
  let found: { from: number; to: number } | undefined;
  parser.parse(source).iterate({
    enter(node) {
      const word = node.name === 'Keyword' && source.slice(node.from, node.to).toLowerCase() === 'then';
      if (word) found ??= { from: node.from, to: node.to };
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
    case 'Match': {
      const regex = node.getChild('Regex');
      const written = regex ? textOf(regex, source) : '';
      const end = written.lastIndexOf('/');
      const match: Condition = {
        kind: 'match',
        field: fieldName(textOf(node.getChild('Field')!, source)),
        pattern: regex
          ? written.slice(1, end).replaceAll('\\/', '/')
          : valueOf(node.getChild('Value')!, source),
        ignoreCase: regex !== null && written.slice(end + 1) === 'i',
      };
      const problem = regexProblem(match.pattern);
      if (problem !== undefined) refuse(regex ?? node, source, problem);
      const not = textOf(node.getChild('MatchOperator')!, source) === '!~';
      return not ? { kind: 'not', term: match } : match;
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

const TOKEN =
  /"(?:[^"\\]|\\.)*"?|(?<=~\s*)\/(?:[^/\\\n]|\\.)*\/?i?|[(),]|!=|!~|<=|>=|[=<>~!]|[^\s()",=!<>~]+/gs;

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
  if (here?.text === '!') return say('Expected != for "is not", or the word not before a condition.');
  const word = before?.text.toLowerCase();
  if (word === '~' || word === '!~')
    return say(`Expected a regular expression between slashes, such as /token \\d+/${found}.`);
  const inSteps = tokens.some((token) => token.text.toLowerCase() === 'then' && token.to <= place.from);
  if (word === 'then')
    return say(
      `Expected a step after then, such as count by service, where count > 10, sort count or top 10${found}.`,
    );
  if (inSteps) {
    if (word === 'by') return say(`Expected a field or column after by${found}.`);
    if (word === 'every') return say(`Expected a length of time after every, such as 1m${found}.`);
    if (word === 'top') return say(`Expected a number after top${found}.`);
    if (word === 'where') return say(`Expected a condition after where, such as count > 10${found}.`);
    if (word === 'sort') return say(`Expected a column after sort${found}.`);
    if (word === 'as') return say(`Expected a name after as${found}.`);
    if (word === ',') return say(`Expected one more after the comma${found}.`);
    if (word !== '(' && !/^(=|!=|<=?|>=?)$/.test(word ?? ''))
      return say(`Expected then, or the end of the step${found}.`);
  }
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

/** What is wrong with a regular expression, or undefined. Only checked where an engine was given: the page leaves it to the server. */
let regexProblem: (pattern: string) => string | undefined = () => undefined;

/** Lets regular expressions be checked as they are read. */
export function checkRegexesWith(check: (pattern: string) => string | undefined): void {
  regexProblem = check;
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
