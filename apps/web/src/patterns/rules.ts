import type { CorrectionBody, MarkBody, PatternSummary, SentencePart } from '@flail/contract';
import { plural } from '../format/numbers.js';

/** A correction or a mark in words, for lists of what can be taken back. */
export function correctionText(rule: CorrectionBody): string {
  switch (rule.kind) {
    case 'join':
      return `joined ${plural(rule.patterns?.length ?? 0, 'pattern')}: ${(rule.patterns ?? []).join(', ')}`;
    case 'slot':
      return `made a word of ${rule.pattern ?? ''} a slot${rule.word === undefined ? '' : `: ${rule.word}`}`;
    case 'split':
      return `split ${rule.pattern ?? ''} by its slot ${(rule.slot ?? 0) + 1}`;
    case 'apart':
      return `set a form of ${rule.pattern ?? ''} apart`;
    case 'name':
      return `named ${rule.pattern ?? ''} “${rule.name ?? ''}”`;
  }
}

export const markText = ({ kind, pattern, reason }: MarkBody): string =>
  `${pattern}: ${kind}${reason === undefined || reason === '' ? '' : `, ${reason}`}`;

/** A constant word of a sentence, and which of its like it is. */
export interface Word {
  text: string;
  occurrence: number;
}

export type SentencePiece =
  { word: Word } | { between: string } | { slot: number; text: string; type: string };

/** Cuts a sentence into words that can be made slots, what lies between, and its slots by their place. */
export function wordsOf(sentence: readonly SentencePart[]): SentencePiece[] {
  const seen = new Map<string, number>();
  let slots = 0;
  return sentence.flatMap((part): SentencePiece[] => {
    if (!('text' in part)) return [{ slot: slots++, text: part.slot, type: part.type }];
    return part.text
      .split(/([A-Za-z0-9_-]+)/)
      .filter((piece) => piece !== '')
      .map((piece): SentencePiece => {
        if (!/^[A-Za-z0-9_-]+$/.test(piece)) return { between: piece };
        const occurrence = seen.get(piece) ?? 0;
        seen.set(piece, occurrence + 1);
        return { word: { text: piece, occurrence } };
      });
  });
}

/** Patterns whose sentence, service or name holds all words of a search. */
export function found(row: PatternSummary, search: string): boolean {
  const text = [
    ...row.sentence.map((part) => ('text' in part ? part.text : part.slot)),
    ...row.services,
    row.name ?? '',
    row.level,
    row.id,
  ]
    .join(' ')
    .toLowerCase();
  return search
    .toLowerCase()
    .split(/\s+/)
    .every((word) => text.includes(word));
}
