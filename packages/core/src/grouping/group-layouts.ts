import type { Layout } from '../patterns/layout.js';
import { type Context, ContextFinder, isPair, isWordToken, tokensOfForm } from './contexts.js';
import { evidenceOf, logOdds, vocabularyOf } from './evidence.js';
import { type Form, formOf, isLocation, REQUEST, SLOT } from './form.js';
import { findFreeText } from './free-text.js';
import { findPairs } from './key-values.js';
import { Sets } from './sets.js';
import { WEIGHTS } from './weights.js';

/** Why layouts became one pattern. */
export const JOIN_REASONS = [
  'same form',
  'same place in the source',
  'varying value',
  'optional part',
  'free text',
] as const;
export type JoinReason = (typeof JOIN_REASONS)[number];

/** Two layouts whose groups become one. */
export interface Join {
  a: number;
  b: number;
  /** How sure the grouping is that both are one statement: 1 is just enough, `CERTAIN` beyond doubt. */
  belief: number;
  reason: JoinReason;
}

export const CERTAIN = 100;

/** A form met so far, with the layouts that have it or were generalised to it. */
interface Node {
  tokens: readonly string[];
  /** The first layout, which stands for all. */
  founder: number;
  records: number;
}

const ROUNDS = 8;

/** Log odds that the forms of a context are one statement; the members are layouts that stand for them. */
type Decide = (context: Context, evidence: Float64Array, members: readonly number[]) => number;

/** Makes one group of two; false when they were one already. */
type JoinNodes = (a: Node, b: Node, belief: number, reason: JoinReason) => boolean;

/**
 * Groups layouts into patterns: what the grouping itself believes to be one statement of a program.
 * Deterministic: the same layouts with the same counts give the same joins.
 *
 * @param layouts in the order of their ids
 * @param records records of each layout, where known
 * @param weights of the evidence
 * @param decide decides in place of the weights, for measuring
 * @returns the joins, all with a belief of 1 or more
 */
export function groupLayouts(
  layouts: readonly Layout[],
  records: readonly number[] = [],
  weights: Float64Array = WEIGHTS,
  decide?: Decide,
): Join[] {
  const joins: Join[] = [];
  const joined = new Sets(layouts.length);
  const join: JoinNodes = (a, b, belief, reason) => {
    if (!joined.join(a.founder, b.founder)) return false;
    joins.push({ a: Math.min(a.founder, b.founder), b: Math.max(a.founder, b.founder), belief, reason });
    return true;
  };
  const forms = layouts.map(formOf);
  const values = valuesIn(layouts);
  const all: Node[] = forms.map((form, at) => ({
    tokens: tokensOfForm(form),
    founder: at,
    records: records[at] ?? 1,
  }));
  // Requests are one pattern only where route and status are the same.
  const isRequest = ({ founder }: Node): boolean => REQUEST.test(forms[founder]!.tokens.join(''));
  let nodes = sameForms(all, join, 'same form', CERTAIN).filter((node) => !isRequest(node));
  nodes = sameLocations(nodes, join);
  nodes = freeTexts(nodes, join);
  joinPairs(nodes, join);
  nodes = joinContexts(nodes, values, join, (context, evidence, members) =>
    decide ? decide(context, evidence, members) : logOdds(evidence, weights),
  );
  nodes = casesOfGeneral(nodes, join);
  freeTexts(nodes, join);
  return joins;
}

/** One node for each sequence of tokens. */
function sameForms(nodes: readonly Node[], join: JoinNodes, reason: JoinReason, belief: number): Node[] {
  const byKey = new Map<string, Node>();
  for (const node of nodes) {
    const key = node.tokens.join('\u0000');
    const known = byKey.get(key);
    if (!known) byKey.set(key, node);
    else absorb(known, node, join, reason, belief);
  }
  return [...byKey.values()];
}

function absorb(node: Node, other: Node, join: JoinNodes, reason: JoinReason, belief: number): void {
  // One form may stand twice for the same records: with a part, and without it.
  if (join(node, other, belief, reason)) node.records += other.records;
  else node.records = Math.max(node.records, other.records);
  node.founder = Math.min(node.founder, other.founder);
}

/** How far into a line the place in the source stands that wrote it. */
const MAX_LOCATION_AT = 40;

/** One node for what was written at one place in the source. */
function sameLocations(nodes: readonly Node[], join: JoinNodes): Node[] {
  const byPlace = new Map<string, Node>();
  return nodes.filter((node) => {
    const place = locationOf(node.tokens);
    if (place === undefined) return true;
    const known = byPlace.get(place);
    if (!known) {
      byPlace.set(place, node);
      return true;
    }
    absorb(known, node, join, 'same place in the source', 10);
    return false;
  });
}

/** The place in the source with which a text opens: at most two words stand before it that are in no brackets. */
function locationOf(tokens: readonly string[]): string | undefined {
  let depth = 0;
  let words = 0;
  for (let at = 0; at < tokens.length && at < MAX_LOCATION_AT; at++) {
    const token = tokens[at]!;
    if (isLocation(token)) return token;
    if ('([{'.includes(token)) depth++;
    else if (')]}'.includes(token)) depth--;
    else if (depth <= 0 && isWordToken(token) && ++words > 2) return undefined;
  }
  return undefined;
}

/** Words that stood behind `=`. */
function valuesIn(layouts: readonly Layout[]): Set<string> {
  const values = new Set<string>();
  for (const { literals } of layouts)
    for (const literal of literals)
      for (const match of literal.matchAll(/[=][<"']?([A-Za-z][\w.-]*)(?=[\s,;)\]>"']|$)/g))
        values.add(match[1]!);
  return values;
}

/**
 * Joins the forms of contexts that are believed to hold a value, the surest first; they become one form with a
 * slot, in which others may be found to differ from it.
 */
function joinContexts(
  start: readonly Node[],
  values: ReadonlySet<string>,
  join: JoinNodes,
  scoreOf: Decide,
): Node[] {
  const vocabulary = vocabularyOf(
    start.map(({ tokens }) => tokens),
    values,
  );
  const finder = new ContextFinder();
  const nodes: Node[] = [];
  const records: number[] = [];
  const alive = new Map<string, number>();
  const add = (node: Node): void => {
    const key = node.tokens.join('\u0000');
    const known = alive.get(key);
    if (known !== undefined) {
      absorb(nodes[known]!, node, join, 'varying value', 1.5);
      records[known] = nodes[known]!.records;
      return;
    }
    alive.set(key, finder.add(node.tokens));
    nodes.push(node);
    records.push(node.records);
  };
  for (const node of start) add(node);
  for (let round = 0; round < ROUNDS; round++) {
    const accepted: { context: Context; score: number }[] = [];
    for (const whole of finder.touched()) {
      for (const context of partsOf(whole)) {
        const members = membersOf(context).map((member) => nodes[member]!.founder);
        const score = scoreOf(context, evidenceOf(context, records, vocabulary), members);
        if (score <= 0) continue;
        accepted.push({ context, score });
        break;
      }
    }
    if (accepted.length === 0) break;
    accepted.sort((a, b) => b.score - a.score);
    const gone = new Set<number>();
    const general: Node[] = [];
    for (const { context, score } of accepted) {
      const members = membersOf(context);
      if (members.some((member) => gone.has(member))) {
        // What is part of a surer context already is looked at again when it has become part of that.
        finder.touch(context);
        continue;
      }
      const optional = context.fillers.has('');
      const reason = optional ? 'optional part' : 'varying value';
      const node: Node = {
        tokens: collapsed([...context.before, SLOT, ...context.after]),
        founder: nodes[members[0]!]!.founder,
        records: 0,
      };
      for (const member of members) {
        absorb(node, nodes[member]!, join, reason, 1 + score);
        gone.add(member);
        finder.remove(member);
        alive.delete(nodes[member]!.tokens.join('\u0000'));
      }
      general.push(node);
      if (optional) general.push({ ...node, tokens: [...context.before, ...context.after] });
    }
    for (const node of general) add(node);
  }
  return [...alive.values()].map((at) => nodes[at]!);
}

const membersOf = ({ fillers }: Context): number[] => [
  ...new Set([...fillers.values()].flatMap(({ members }) => members)),
];

/** Forms with slots at the same positions, by their tokens. */
interface Masked {
  slots: number[];
  general: Map<string, Node>;
}

/** A form must say so many words itself to have cases. */
const LEAST_WORDS = 2;

/**
 * Joins forms to one that has slots in the place of several of their words: values that vary at several places
 * at once are met one by one only where all but one of them come back.
 */
function casesOfGeneral(nodes: readonly Node[], join: JoinNodes): Node[] {
  const byLength = new Map<number, Map<string, Masked>>();
  for (const node of nodes) {
    const { tokens } = node;
    const slots = tokens.flatMap((token, at) => (token === SLOT ? [at] : []));
    const words = tokens.filter((token) => isWordToken(token) && !isPair(token)).length;
    if (slots.length < 2 || words < LEAST_WORDS) continue;
    let masks = byLength.get(tokens.length);
    if (!masks) byLength.set(tokens.length, (masks = new Map<string, Masked>()));
    const mask = slots.join();
    let known = masks.get(mask);
    if (!known) masks.set(mask, (known = { slots, general: new Map() }));
    known.general.set(tokens.join('\u0000'), node);
  }
  const gone = new Set<Node>();
  for (const node of nodes) {
    for (const { slots, general } of byLength.get(node.tokens.length)?.values() ?? []) {
      const words = slots.filter((at) => node.tokens[at] !== SLOT);
      if (words.length === 0 || !words.every((at) => isWordToken(node.tokens[at]!))) continue;
      const tokens = [...node.tokens];
      for (const at of slots) tokens[at] = SLOT;
      const found = general.get(tokens.join('\u0000'));
      if (!found || gone.has(found)) continue;
      absorb(found, node, join, 'varying value', 1.2);
      gone.add(node);
      break;
    }
  }
  return nodes.filter((node) => !gone.has(node));
}

/** The tokens with slots that stand one behind the other as one. */
const collapsed = (tokens: readonly string[]): string[] =>
  tokens.filter((token, at) => token !== SLOT || tokens[at - 1] !== SLOT);

/** A context as it is, and that of its single words and slots alone. */
function partsOf(context: Context): Context[] {
  const single = new Map([...context.fillers].filter(([, { tokens }]) => tokens.length === 1));
  if (single.size < 2 || single.size === context.fillers.size) return [context];
  return [context, { ...context, fillers: single }];
}

/** Joins forms that say the same but for which of their `key=value` pairs are present. */
function joinPairs(nodes: readonly Node[], join: JoinNodes): void {
  for (const { whole, part, belief } of findPairs(nodes.map(({ tokens }) => tokens))) {
    join(nodes[whole]!, nodes[part]!, belief, 'optional part');
  }
}

/** Joins forms that go on freely behind the same beginning; they are one node with a slot for what follows. */
function freeTexts(nodes: readonly Node[], join: JoinNodes): Node[] {
  const gone = new Set<Node>();
  const forms = nodes.map(({ tokens }) => formOfTokens(tokens));
  const found = findFreeText(
    forms,
    nodes.map((node) => node.records),
  );
  for (const { members, length, belief } of found) {
    const first = nodes[members[0]!]!;
    for (const member of members.slice(1)) {
      absorb(first, nodes[member]!, join, 'free text', belief);
      gone.add(nodes[member]!);
    }
    first.tokens = collapsed([...first.tokens.slice(0, length), SLOT]);
  }
  return nodes.filter((node) => !gone.has(node));
}

function formOfTokens(tokens: readonly string[]): Form {
  return {
    tokens,
    kinds: tokens.map((token) => (token === SLOT ? 'slot' : isWordToken(token) ? 'word' : 'gap')),
    key: tokens.join('\u0000'),
  };
}
