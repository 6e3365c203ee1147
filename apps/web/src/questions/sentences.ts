/** Questions to begin with, before it is known what is held. */
export const FIRST_QUESTIONS = [
  'what moved first?',
  'what changed in the last hour?',
  'which operations fail most?',
  'what do the failing requests have in common?',
  'when did "…" first appear?',
  'is any run stuck?',
];

/** What nothing was made of. */
export function notReadText(unread: readonly string[], understood: boolean): string {
  const words = unread.map((word) => `“${word}”`).join(', ');
  if (understood) return `Nothing was made of ${words}: the answer is without it.`;
  return unread.length === 0
    ? 'This was not understood. Name what to look for, or take one of the questions below.'
    : `This was not understood; nothing was made of ${words}. Name a field, a service or a phrase in quotes, or take one of the questions below.`;
}
