import fc from 'fast-check';
import { type Context, ContextFinder, tokensOfForm } from './contexts.js';
import { formOfText, SLOT } from './form.js';

const tokensOf = (text: string): string[] => tokensOfForm(formOfText(text.replaceAll('#', SLOT)));

function contextsOf(texts: readonly string[]): Context[] {
  const finder = new ContextFinder();
  for (const text of texts) finder.add(tokensOf(text));
  return finder.touched();
}

/** A context as it can be read. */
const shown = ({ before, after, fillers }: Context): string =>
  `${before.join(' ')} {${[...fillers.values()]
    .map(({ tokens }) => tokens.join(' '))
    .sort()
    .join('|')}} ${after.join(' ')}`.replaceAll(SLOT, '#');

describe('tokens of a form', () => {
  it('are words, slots, pairs, and characters one by one', () => {
    expect(tokensOf('gate (north) took=5 by #, see door.c:12')).toEqual([
      'gate',
      '(',
      'north',
      ')',
      `took=${SLOT}`,
      'by',
      SLOT,
      ',',
      'see',
      'door.c:12',
    ]);
  });
});

describe('places at which forms differ', () => {
  it('are found as tight as they are', () => {
    expect(contextsOf(['gate opened for bob today', 'gate opened for ann today']).map(shown)).toEqual([
      'gate opened for {ann|bob} today',
    ]);
    expect(contextsOf(['gate shut', 'gate shut (by hand)']).map(shown)).toContain(
      'gate shut {|( by hand )} ',
    );
  });

  it('never part a pair, a bracket, or lines of different places in the source', () => {
    const found = contextsOf(['a.c:1 gate open', 'a.c:2 gate open', 'x (b c) gate', 'x (d e) gate']).map(
      shown,
    );
    expect(found).toEqual(['x ( {b c|d e} ) gate']);
  });

  it('are looked at again only when forms have come, and without those that are gone', () => {
    const finder = new ContextFinder();
    const first = finder.add(['gate', 'of', 'ann']);
    finder.add(['gate', 'of', 'bob']);
    expect(finder.touched().map(shown)).toEqual(['gate of {ann|bob} ']);
    expect(finder.touched()).toEqual([]);
    finder.add(['gate', 'of', 'eve']);
    finder.remove(first);
    const [again] = finder.touched();
    expect(shown(again!)).toBe('gate of {bob|eve} ');
    finder.touch(again!);
    expect(finder.touched().map(shown)).toEqual(['gate of {bob|eve} ']);
  });

  it('are those that comparing all forms with each other finds', () => {
    const word = fc.constantFrom('gate', 'door', 'of', 'north', 'open');
    const form = fc.array(word, { minLength: 1, maxLength: 6 });
    fc.assert(
      fc.property(fc.uniqueArray(form, { selector: (own) => own.join(' '), maxLength: 8 }), (forms) => {
        const finder = new ContextFinder();
        for (const tokens of forms) finder.add(tokens);
        const found = finder.touched();
        for (let a = 0; a < forms.length; a++) {
          for (let b = a + 1; b < forms.length; b++) {
            const [one, other] = [forms[a]!, forms[b]!];
            let before = 0;
            while (before < one.length && before < other.length && one[before] === other[before]) before++;
            let behind = 0;
            const room = Math.min(one.length, other.length) - before;
            while (behind < room && one.at(-1 - behind) === other.at(-1 - behind)) behind++;
            if (before + behind === 0) continue;
            const meets = found.some(
              (context) =>
                context.before.join(' ') === one.slice(0, before).join(' ') &&
                context.after.join(' ') === one.slice(one.length - behind).join(' ') &&
                [a, b].every((form) =>
                  [...context.fillers.values()].some(({ members }) => members.includes(form)),
                ),
            );
            expect(meets).toBe(true);
          }
        }
      }),
    );
  });
});
