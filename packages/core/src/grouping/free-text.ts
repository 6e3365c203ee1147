import type { Form } from './form.js';

/** Forms that share a beginning and go on freely. */
export interface FreeText {
  members: number[];
  /** Tokens of the shared beginning. */
  length: number;
  belief: number;
}

interface Node {
  children: Map<string, Node>;
  members: number[];
  words: number;
  depth: number;
  records: number;
}

/** So many words of a form are looked at. */
const MAX_DEPTH = 40;

/**
 * Finds beginnings behind which people or other programs speak: very many different continuations, each
 * seen hardly more than once. A program's own statements come back; what was typed does not. The ratio of
 * different forms to records (type–token ratio) is the evidence.
 *
 * @param records records of each form
 */
export function findFreeText(forms: readonly Form[], records: readonly number[]): FreeText[] {
  const root: Node = { children: new Map(), members: [], words: 0, depth: 0, records: 0 };
  forms.forEach((form, at) => {
    let node = root;
    const brackets = depthsOf(form.tokens);
    for (let depth = 0; depth < form.tokens.length && depth < MAX_DEPTH; depth++) {
      const token = form.tokens[depth]!;
      let child = node.children.get(token);
      if (!child) {
        child = {
          children: new Map(),
          members: [],
          words: node.words + (form.kinds[depth] === 'word' && brackets[depth] === 0 ? 1 : 0),
          depth: depth + 1,
          records: 0,
        };
        node.children.set(token, child);
      }
      child.members.push(at);
      child.records += records[at]!;
      node = child;
    }
  });
  const found: FreeText[] = [];
  /** Looks below first; returns how many forms were taken there. */
  const visit = (node: Node): number => {
    if (node.members.length < 8) return 0;
    const before = found.length;
    let taken = 0;
    for (const child of node.children.values()) taken += visit(child);
    if (node.words < 1 || taken * 2 > node.members.length) return taken;
    const belief = beliefOf(node, forms, records);
    if (belief < 1) return taken;
    // What was found below is part of this.
    found.length = before;
    found.push({ members: node.members, length: node.depth, belief });
    return node.members.length;
  };
  for (const child of root.children.values()) visit(child);
  return found;
}

/** How many brackets are open at each token. */
function depthsOf(tokens: readonly string[]): number[] {
  let depth = 0;
  return tokens.map((token) => {
    if (/^[([{]$/.test(token)) depth++;
    else if (/^[)\]}]$/.test(token)) depth = Math.max(0, depth - 1);
    return depth;
  });
}

function beliefOf(node: Node, forms: readonly Form[], records: readonly number[]): number {
  const count = node.members.length;
  let largest = 0;
  for (const child of node.children.values()) largest = Math.max(largest, child.members.length);
  const last = forms[node.members[0]!]!.tokens[node.depth - 1]!;
  const opened = /[:"'>-]\s?$/.test(last);
  const needed = (node.words >= 3 ? 16 : node.words === 2 ? 24 : 60) * (opened ? 0.8 : 1);
  if (count < needed || node.children.size < needed * 0.7 || largest > count * 0.3) return 0;
  // Statements about many names come back with the same ending; what somebody typed does not.
  const endings = new Set(node.members.map((member) => forms[member]!.tokens.slice(-3).join('\u0000')));
  if (endings.size < count * 0.5) return 0;
  // Texts for which storage had no more layouts are one form: the beginning and a slot.
  const rest = node.members.find((member) => {
    const { tokens, kinds } = forms[member]!;
    return tokens.length === node.depth + 1 && kinds[node.depth] === 'slot';
  });
  const repeated = (node.records - (rest === undefined ? 0 : records[rest]!)) / count;
  if (repeated > 3) return 0;
  return Math.min(2, (count / needed) ** 0.25 * (repeated < 1.5 ? 1.2 : 1));
}
