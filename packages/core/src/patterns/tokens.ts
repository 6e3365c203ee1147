import type { Layout } from './layout.js';

/** A token of a layout: a slot (by its type), a word, or the characters between. */
export interface Token {
  kind: 'slot' | 'word' | 'gap';
  text: string;
}

/** Source of a regular expression for a word as the scanner sees it: letters, digits and characters beyond ASCII, with joining characters inside. */
export const WORD_SOURCE =
  '[A-Za-z0-9_\\u0080-\\uffff]+(?:(?:[-.][+~]{0,2}|[+~]{1,2}[-.]|[+~]{1,3})[A-Za-z0-9_\\u0080-\\uffff]+)*(?:\\+\\+)?';
const WORD = new RegExp(WORD_SOURCE, 'g');

/** The words, gaps and slots of a layout, in order. */
export function tokensOf(layout: Pick<Layout, 'literals' | 'types'>): Token[] {
  const tokens: Token[] = [];
  layout.literals.forEach((literal, index) => {
    let from = 0;
    for (const match of literal.matchAll(WORD)) {
      if (match.index > from) tokens.push({ kind: 'gap', text: literal.slice(from, match.index) });
      tokens.push({ kind: 'word', text: match[0] });
      from = match.index + match[0].length;
    }
    if (from < literal.length) tokens.push({ kind: 'gap', text: literal.slice(from) });
    if (index < layout.types.length) tokens.push({ kind: 'slot', text: layout.types[index]! });
  });
  return tokens;
}

/** Literals and types of a sequence of tokens. */
export function layoutOf(tokens: readonly Token[]): Pick<Layout, 'literals' | 'types'> {
  const literals = [''];
  let types = '';
  for (const token of tokens) {
    if (token.kind === 'slot') {
      types += token.text;
      literals.push('');
    } else literals[literals.length - 1] += token.text;
  }
  return { literals, types };
}
