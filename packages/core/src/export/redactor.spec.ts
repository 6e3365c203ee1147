import { pseudoRandom } from '../testing/random.js';
import { Redactor, SHORTEST_REDACTED } from './redactor.js';

/** The same, looked for value by value at each place. */
function naive(text: string, names: ReadonlyMap<string, string>): string {
  let done = '';
  for (let at = 0; at < text.length;) {
    const [longest] = [...names.keys()]
      .filter((value) => value.length >= SHORTEST_REDACTED && text.startsWith(value, at))
      .sort((a, b) => b.length - a.length);
    done += longest === undefined ? text[at]! : names.get(longest)!;
    at += longest?.length ?? 1;
  }
  return done;
}

describe('redacting', () => {
  const names = new Map([
    ['j.fulmar', 'person-1'],
    ['10.2.0.17', 'address-1'],
    ['10.2.0.1', 'address-2'],
    ['ab', 'never'],
  ]);
  const redactor = new Redactor(names);

  it.each([
    ['GET /users/j.fulmar/orders from 10.2.0.17', 'GET /users/person-1/orders from address-1'],
    ['10.2.0.1, 10.2.0.18, 10.2.0.17.', 'address-2, address-28, address-1.'],
    ['{"who":"j.fulmar","peer":"10.2.0.1"}', '{"who":"person-1","peer":"address-2"}'],
    ['j.fulmaj.fulmar ab j.fulma', 'j.fulmaperson-1 ab j.fulma'],
    ['{"j.fulmar":"j.fulmar"}', '{"j.fulmar":"person-1"}'],
    ['', ''],
  ])('%s', (text, expected) => {
    expect(redactor.text(text)).toBe(expected);
  });

  it('leaves a text as it is where there is nothing to replace', () => {
    expect(new Redactor(new Map()).text('nothing of it')).toBe('nothing of it');
  });

  it('equals looking for each value at each place, on random texts', () => {
    const random = pseudoRandom(17);
    const word = (length: number): string =>
      Array.from({ length }, () => 'abc'[Math.floor(random() * 3)]).join('');
    for (let round = 0; round < 300; round++) {
      const own = new Map(
        Array.from({ length: 1 + Math.floor(random() * 6) }, (_, at): [string, string] => [
          word(1 + Math.floor(random() * 6)),
          `<${at}>`,
        ]),
      );
      const text = word(40);
      expect(new Redactor(own).text(text)).toBe(naive(text, own));
    }
  });
});
