import fc from 'fast-check';
import { coarseJoins } from './coarse.js';
import { formOfText, SLOT } from './form.js';

const forms = (texts: readonly string[]) => texts.map((text) => formOfText(text.replaceAll('#', SLOT)));

/** Groups that are left after the first joins: for each pattern the least of its group. */
function groupsAfter(texts: readonly string[], joins: number, sizes = texts.map(() => 1)): number[] {
  const group = texts.map((_, at) => at);
  for (const { a, b } of coarseJoins(forms(texts), sizes).slice(0, joins)) {
    const [one, other] = [Math.min(group[a]!, group[b]!), Math.max(group[a]!, group[b]!)];
    for (const [at, own] of group.entries()) if (own === other) group[at] = one;
  }
  return group;
}

describe('joins for fewer patterns', () => {
  it('begin with what is most alike', () => {
    const texts = [
      'lease of berth # renewed for sailing #',
      'tide table # read from station #',
      'lease of berth # refused for sailing #',
      'tide table # skipped from station #',
      'mail to # queued',
    ];
    expect(groupsAfter(texts, 2)).toEqual([0, 1, 0, 1, 4]);
  });

  it('reach a single group, with one join less than there are patterns', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc
            .array(fc.constantFrom('gull', 'tern', 'auk', '#', 'of', 'refused', 'late'), { maxLength: 6 })
            .map((words) => words.join(' ')),
          { minLength: 1, maxLength: 40 },
        ),
        (texts) => {
          const joins = coarseJoins(
            forms(texts),
            texts.map((_, at) => 1 + (at % 7)),
          );
          expect(joins).toHaveLength(texts.length - 1);
          expect(new Set(groupsAfter(texts, joins.length)).size).toBe(1);
          for (const { likeness } of joins) {
            expect(likeness).toBeGreaterThanOrEqual(0);
            expect(likeness).toBeLessThanOrEqual(1);
          }
        },
      ),
    );
  });

  it('leave what shares no word for the end', () => {
    const joins = coarseJoins(forms(['gull # seen', 'gull # heard', 'completely other']), [5, 5, 5]);
    expect(joins[0]).toMatchObject({ a: 0, b: 1 });
    expect(joins[0]!.likeness).toBeGreaterThan(0);
    expect(joins[1]!.likeness).toBe(0);
  });
});
