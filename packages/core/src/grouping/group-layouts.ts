import type { Layout } from '../patterns/layout.js';
import { type Form, formOf, formOfText, SLOT } from './form.js';
import { findFreeText } from './free-text.js';
import { findOptionalParts } from './optional-parts.js';
import { Sets } from './sets.js';
import { groupByVaryingWords } from './varying-words.js';

/** Why layouts became one pattern. */
export const JOIN_REASONS = [
  'same form',
  'varying word',
  'general form',
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
  form: Form;
  /** The first layout, which stands for all. */
  founder: number;
  records: number;
}

const ROUNDS = 3;

/**
 * Groups layouts into patterns: what the grouping itself believes to be one statement of a program.
 * Deterministic: the same layouts with the same counts give the same joins.
 *
 * @param layouts in the order of their ids
 * @param records records of each layout, where known
 * @returns the joins, all with a belief of 1 or more
 */
export function groupLayouts(layouts: readonly Layout[], records: readonly number[] = []): Join[] {
  const joins: Join[] = [];
  const joined = new Sets(layouts.length);
  const join = (a: number, b: number, belief: number, reason: JoinReason): void => {
    if (joined.join(a, b)) joins.push({ a, b, belief, reason });
  };
  let nodes: Node[] = layouts.map((layout, at) => ({
    form: formOf(layout),
    founder: at,
    records: records[at] ?? 1,
  }));
  nodes = sameForms(nodes, (a, b) => join(a, b, CERTAIN, 'same form'));
  // What was typed freely is taken out first: there may be very much of it, and nothing else to find in it.
  nodes = freeTexts(nodes, join);
  const settled = new Map<string, readonly Form[]>();
  for (let round = 0; round < ROUNDS; round++) {
    const before = nodes.length;
    const groups = groupByVaryingWords(
      nodes.map(({ form }) => form),
      settled,
    );
    const gone = new Set<number>();
    for (const { members, form, belief } of groups) {
      const first = nodes[members[0]!]!;
      for (const member of members.slice(1)) {
        join(first.founder, nodes[member]!.founder, belief, 'varying word');
        absorb(first, nodes[member]!);
        gone.add(member);
      }
      first.form = form;
    }
    nodes = nodes.filter((_, at) => !gone.has(at));
    nodes = sameForms(nodes, (a, b) => join(a, b, 3, 'general form'));
    nodes = generalForms(nodes, (a, b) => join(a, b, 2, 'general form'));
    nodes = looseForms(nodes, (a, b) => join(a, b, 1.5, 'general form'));
    if (nodes.length === before) break;
  }
  for (const { whole, part, belief } of findOptionalParts(nodes.map(({ form }) => form))) {
    join(nodes[whole]!.founder, nodes[part]!.founder, belief, 'optional part');
  }
  freeTexts(nodes, join);
  return joins;
}

function absorb(node: Node, other: Node): void {
  node.founder = Math.min(node.founder, other.founder);
  node.records += other.records;
}

/** Joins forms that go on freely behind the same beginning; they are one node with a slot for what follows. */
function freeTexts(
  nodes: readonly Node[],
  join: (a: number, b: number, belief: number, reason: JoinReason) => void,
): Node[] {
  const gone = new Set<Node>();
  const found = findFreeText(
    nodes.map(({ form }) => form),
    nodes.map((node) => node.records),
  );
  for (const { members, length, belief } of found) {
    const first = nodes[members[0]!]!;
    for (const member of members.slice(1)) {
      join(first.founder, nodes[member]!.founder, belief, 'free text');
      absorb(first, nodes[member]!);
      gone.add(nodes[member]!);
    }
    first.form = formOfText(first.form.tokens.slice(0, length).join('') + SLOT);
  }
  return nodes.filter((node) => !gone.has(node));
}

/** One node for each form. */
function sameForms(nodes: readonly Node[], join: (a: number, b: number) => void): Node[] {
  const byKey = new Map<string, Node>();
  for (const node of nodes) {
    const known = byKey.get(node.form.key);
    if (!known) byKey.set(node.form.key, node);
    else {
      join(known.founder, node.founder);
      absorb(known, node);
    }
  }
  return [...byKey.values()];
}

/** A form with more words is not compared with more general ones: too many words of it might be values. */
const MAX_GENERALISED = 24;

/** Joins forms to the form that has a slot in the place of one of their words, or of a piece with a slot in it. */
function generalForms(nodes: readonly Node[], join: (a: number, b: number) => void): Node[] {
  const byKey = new Map(nodes.map((node) => [node.form.key, node]));
  const slotted = placesOfSlots(nodes);
  const gone = new Set<Node>();
  for (const node of nodes) {
    for (const key of moreGeneral(node.form, slotted.get(node.form.tokens.length))) {
      const general = byKey.get(key);
      if (!general || general === node || gone.has(general)) continue;
      join(general.founder, node.founder);
      absorb(general, node);
      gone.add(node);
      break;
    }
  }
  return nodes.filter((node) => !gone.has(node));
}

/** Where forms have slots, by how many tokens they have. */
function placesOfSlots(nodes: readonly Node[]): Map<number, Set<number>> {
  const places = new Map<number, Set<number>>();
  for (const { tokens } of nodes.map(({ form }) => form)) {
    let own = places.get(tokens.length);
    if (!own) places.set(tokens.length, (own = new Set()));
    for (let at = tokens.indexOf(SLOT); at >= 0; at = tokens.indexOf(SLOT, at + 1)) own.add(at);
  }
  return places;
}

/**
 * Keys of the forms that a form may be a case of.
 *
 * @param slotted where forms with as many tokens have slots
 */
function* moreGeneral({ tokens, kinds }: Form, slotted: ReadonlySet<number> = new Set()): Generator<string> {
  const words = kinds.filter((kind) => kind === 'word').length;
  if (words < 2 || words > MAX_GENERALISED) return;
  for (let at = 0; at < tokens.length; at++) {
    if (kinds[at] === 'word' && slotted.has(at)) yield tokens.with(at, SLOT).join('\u0000');
  }
  if (!tokens.includes(SLOT)) return;
  const pieces = tokens.join('').split(' ');
  for (let from = 1; from < pieces.length && from < 8; from++) {
    for (let to = from + 1; to <= pieces.length && to <= from + 4; to++) {
      const cut = pieces.slice(from, to);
      if (!cut.some((piece) => piece.includes(SLOT)) || cut.every((piece) => piece === SLOT)) continue;
      yield formOfText([...pieces.slice(0, from), SLOT, ...pieces.slice(to)].join(' ')).key;
    }
  }
}

/** Characters around a piece of a text that are not part of a value. */
const PIECE = /^([("'<[{]*)(.*?)([)"'>\]},.;:]*)$/;

/**
 * Joins forms that differ only in pieces (what stands between spaces) of which one form has a bare slot
 * and the other something composed around a slot, as `name:12` beside `name-2:12`.
 */
function looseForms(nodes: readonly Node[], join: (a: number, b: number) => void): Node[] {
  const byLoose = new Map<string, { node: Node; pieces: string[] }[]>();
  for (const node of nodes) {
    const { tokens, kinds } = node.form;
    const pieces = tokens.join('').split(' ');
    const loose = pieces.map((piece) =>
      piece.includes(SLOT) && !piece.includes('=') ? piece.replace(PIECE, `$1${SLOT}$3`) : piece,
    );
    if (loose.filter((piece) => /[A-Za-z]{2}/.test(piece)).length < 1) continue;
    const key = kinds.includes('slot') ? formOfText(loose.join(' ')).tokens.join('') : tokens.join('');
    const list = byLoose.get(key);
    if (list) list.push({ node, pieces });
    else byLoose.set(key, [{ node, pieces }]);
  }
  const gone = new Set<Node>();
  for (const [key, list] of byLoose) {
    const target = key.split(' ');
    // The most general first: others are joined to it.
    const bare = ({ pieces }: { pieces: string[] }): number =>
      pieces.filter((piece, at) => piece === target[at]).length;
    list.sort((a, b) => bare(b) - bare(a));
    for (let at = 1; at < list.length; at++) {
      const own = list[at]!;
      const general = list
        .slice(0, at)
        .find(
          (other) =>
            !gone.has(other.node) &&
            (other.pieces.join(' ') === key ||
              (other.pieces.length === own.pieces.length &&
                own.pieces.every(
                  (piece, index) => piece === other.pieces[index] || other.pieces[index] === target[index],
                ))),
        );
      if (!general) continue;
      join(general.node.founder, own.node.founder);
      absorb(general.node, own.node);
      gone.add(own.node);
    }
  }
  return nodes.filter((node) => !gone.has(node));
}
