/** What of a case is remembered for finding it again. */
export interface Remembered {
  id: number;
  /** What its signature asks: fields with values, lines, jobs, calls. */
  terms: readonly string[];
  /** Services on its way, what changed, what was new. */
  words: readonly string[];
}

export interface SimilarCase {
  id: number;
  likeness: number;
  shared: string[];
}

/** Cases less alike than this are no help. */
const ALIKE = 0.15;
/** A term of the signature counts for as much as so many other words. */
const TERM = 3;

/** Past cases that are like one, the likest first: by what their signatures ask and what was found of both (weighted Jaccard). */
export function similarCases(own: Remembered, past: readonly Remembered[]): SimilarCase[] {
  const weights = (of: Remembered): Map<string, number> =>
    new Map([
      ...of.words.map((word): [string, number] => [word.toLowerCase(), 1]),
      ...of.terms.map((term): [string, number] => [term.toLowerCase(), TERM]),
    ]);
  const ours = weights(own);
  return past
    .filter(({ id }) => id !== own.id)
    .map((one): SimilarCase => {
      const theirs = weights(one);
      let both = 0;
      let either = 0;
      const shared: string[] = [];
      for (const word of new Set([...ours.keys(), ...theirs.keys()])) {
        const [a, b] = [ours.get(word) ?? 0, theirs.get(word) ?? 0];
        both += Math.min(a, b);
        either += Math.max(a, b);
        if (a > 0 && b > 0) shared.push(word);
      }
      return { id: one.id, likeness: either === 0 ? 0 : both / either, shared };
    })
    .filter(({ likeness }) => likeness >= ALIKE)
    .sort((a, b) => b.likeness - a.likeness || a.id - b.id);
}
