import { ContextFinder, tokensOfForm } from './contexts.js';
import { EVIDENCE, type EvidenceName, evidenceOf, logOdds, vocabularyOf } from './evidence.js';
import { formOfText, SLOT } from './form.js';
import { findPairs } from './key-values.js';
import { WEIGHTS } from './weights.js';

/** The evidence of the only place at which texts differ. */
function evidenceIn(texts: readonly string[], records = texts.map(() => 1)): Record<EvidenceName, number> {
  const forms = texts.map((text) => tokensOfForm(formOfText(text.replaceAll('#', SLOT))));
  const finder = new ContextFinder();
  for (const tokens of forms) finder.add(tokens);
  const [context] = finder.touched();
  const found = evidenceOf(context!, records, vocabularyOf(forms, new Set(['holm'])));
  return Object.fromEntries(EVIDENCE.map((name, at) => [name, found[at]!])) as Record<EvidenceName, number>;
}

/** Log odds that the texts are one statement. */
function oddsOf(texts: readonly string[], records?: readonly number[]): number {
  const found = evidenceIn(texts, records && [...records]);
  return logOdds(
    Float64Array.from(EVIDENCE, (name) => found[name]),
    WEIGHTS,
  );
}

describe('evidence for a value', () => {
  it('is read off the place and what stands there', () => {
    const found = evidenceIn(
      ['manifest for holm written, late', 'manifest for tarn-2 written, late'],
      [7, 1],
    );
    expect(found).toMatchObject({
      bias: 1,
      'behind preposition': 1,
      'two kinds': 1,
      'single words': 1,
      'some empty': 0,
      'at the end': 0,
      'with digits': 0.5,
      'known values': 0.5,
      'one-off kinds': 0.5,
    });
    expect(found['words before']).toBeCloseTo(Math.log2(1 + 1.3) / 2);
  });

  it('speaks for many names that do not come back rather than for two words that do', () => {
    const names = ['skerry', 'holm', 'tarn', 'brannay', 'eider', 'rousay', 'fetlar', 'unst'];
    const many = oddsOf(names.map((name) => `the manifest for port ${name} was written out`));
    const two = oddsOf(['door opened wide', 'door closed wide'], [500, 500]);
    expect(many).toBeGreaterThan(0);
    expect(two).toBeLessThan(0);
  });
});

describe('pairs of keys and values', () => {
  const joinsOf = (...texts: string[]): [number, number][] =>
    findPairs(texts.map((text) => tokensOfForm(formOfText(text)))).map(({ whole, part }) => [whole, part]);

  it('may be absent, and stand in any order', () => {
    expect(joinsOf('tide table read a=1 b=2 c=3', 'tide table read c=5 a=1')).toEqual([[0, 1]]);
  });

  it('say different things where they share only keys that all lines have', () => {
    const others = Array.from({ length: 12 }, (_, at) => `conn=1 op=2 word${at} x=1`);
    expect(joinsOf('conn=1 op=2 MOVE base=3', 'conn=1 op=2 MOVE attr=5', ...others)).toEqual([]);
  });
});
