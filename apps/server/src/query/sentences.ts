import type { SentencePart } from '@flail/contract';
import { type Layout, SLOT_NAMES } from '@flail/core';

/** A layout as a sentence, its slots by their type. */
export function plainSentence({ literals, types }: Layout): SentencePart[] {
  return literals.flatMap((text, at): SentencePart[] => [
    ...(text === '' ? [] : [{ text }]),
    ...(at < types.length ? [{ slot: '', type: SLOT_NAMES[types[at] as keyof typeof SLOT_NAMES] }] : []),
  ]);
}
