import fc from 'fast-check';
import { LayoutBook } from '../patterns/layout.js';
import type { Correction } from './correction.js';
import { formOf } from './form.js';
import { Grouping, slotForm, workOut } from './grouping.js';
import { Identities } from './identity.js';
import { sentenceOf } from './slots.js';
import { pseudoRandom } from '../testing/random.js';

interface Grouped {
  grouping: Grouping;
  book: LayoutBook;
  /** Pattern of each text. */
  ids: string[];
}

function group(texts: readonly string[], corrections: readonly Correction[] = []): Grouped {
  const book = new LayoutBook();
  const of = texts.map((text) => book.partsOf(text, text.startsWith('"GET')).layout.id);
  const records: number[] = book.layouts.map(() => 0);
  for (const id of of) records[id]!++;
  const identities = new Identities();
  for (const layout of book.layouts) identities.add(layout);
  const grouping = new Grouping(
    book.layouts,
    workOut(book.layouts, records),
    identities,
    corrections,
    records,
  );
  return { grouping, book, ids: of.map((id) => grouping.patterns.idOf(id)) };
}

/** How many patterns these texts make. */
const count = (...texts: string[]): number => new Set(group(texts).ids).size;

const PORTS = ['skerry', 'holm', 'tarn', 'brannay', 'eider', 'rousay'];

describe('patterns', () => {
  it.each<[string, string[]]>([
    ['values of any type', ['key 12345678 gone', 'key 9f8e7d6c gone', 'key 5 gone']],
    ['a word where others have a value', ['upgrade 1.2.3 done', 'upgrade none done']],
    ['the word behind an equals sign', ['moved port=holm at 3', 'moved port=tarn at 4']],
    ['lists of any length', ['ids 1, 2, 3 lost', 'ids 4 lost']],
    ['lists of words in brackets', ['routes [a, b] shut', 'routes [c, d, e] shut', 'routes [] shut']],
    ['JSON inside', ['got {"a":1,"b":"x"} late', 'got {"c":{"d":[1,2]}} late']],
    ['many words at one place', PORTS.map((port) => `manifest for ${port} was written`)],
    ['two words that vary', PORTS.flatMap((a) => PORTS.map((b) => `sailing from ${a} to ${b} was planned`))],
    ['names in front', PORTS.map((port) => `${port} has closed its gate`)],
    [
      'a tail in brackets',
      ['call to berth desk failed after 3s', 'call to berth desk failed after 4s (attempt 2)'],
    ],
    [
      'pairs that may be absent',
      ['tide table read a=1 b=2 c=3', 'tide table read a=1 c=5', 'tide table read b=4 c=9'],
    ],
    ['numbers glued to units', ['drained 12conn in 3of8', 'drained 7conn in 11of12']],
    ['addresses in front', ['10.0.0.1:443 closed the line', '[2001:db8::1]:80 closed the line']],
    ['paths of any depth', ['opened /a/b.log fast', 'opened /c/d/e/f.log fast']],
    ['the frames of a trace', ['it failed\n  at a (b.js:1)', 'it failed\n  at c (d.js:2)\n  at e (f.js:3)']],
  ])('take %s for one', (_, texts) => {
    expect(count(...texts)).toBe(1);
  });

  it.each<[string, string[]]>([
    ['two statements that differ in their verb', ['door opened wide', 'door closed wide']],
    [
      'routes and statuses of requests',
      ['ok', 'broken', 'missing', 'moved', 'odd', 'late'].map(
        (route, at) => `"GET /${route}/${at} HTTP/1.1" ${200 + at}`,
      ),
    ],
    [
      'routes that have one status',
      ['gates', 'berths', 'crews', 'tides'].map((route) => `"GET /v1/${route} HTTP/1.1" 503 17`),
    ],
    ['keys that say different things', ['size=5 reached', 'depth=5 reached']],
    ['sentences that share small words only', ['loading page from a1 to b2', 'writing table from a1 to b2']],
  ])('keep apart %s', (_, texts) => {
    expect(count(...texts)).toBe(texts.length);
  });

  it('take what is typed freely for one, and what a program says again and again not', () => {
    const nouns = ['gate', 'crew', 'rope', 'tide', 'mast', 'berth', 'cargo'];
    const numbers = pseudoRandom(4711);
    const noun = (): string => nouns[Math.floor(numbers() * 7)]! + nouns[Math.floor(numbers() * 7)]!;
    const note = (): string =>
      `note of guest: ${Array.from({ length: 2 + Math.floor(numbers() * 5) }, noun).join(' ')}`;
    expect(count(...Array.from({ length: 60 }, note))).toBe(1);
    const said = nouns.map((noun) => `crew of ship: ${noun} ${noun}ed slowly`);
    expect(count(...said.flatMap((text) => new Array<string>(20).fill(text)))).toBeGreaterThan(1);
  });

  it('keep their id while they grow, and are found by an id that has joined them', () => {
    const words = ['ant', 'bee', 'cat', 'dog', 'eel', 'fox'];
    const few = group(words.slice(0, 2).map((word) => `saw ${word} pass the old gate`));
    const many = group(words.map((word) => `saw ${word} pass the old gate`));
    expect(few.ids[0]).not.toBe(few.ids[1]);
    expect(new Set(many.ids)).toEqual(new Set([few.ids[0]]));
    expect(many.grouping.patterns.find(few.ids[1]!)!.layouts.length).toBe(words.length);
    expect(many.grouping.patterns.find('nosuch')).toBeUndefined();
  });

  it('show a gap where their layouts have different words', () => {
    const { grouping, book, ids } = group(PORTS.map((port) => `manifest for ${port} written, 5 pages`));
    const slots = grouping.patterns.slotsOf(grouping.patterns.find(ids[0]!)!);
    expect(sentenceOf(slots, book.layouts[1]!, ['7'])).toEqual([
      { text: 'manifest for ' },
      { slot: 'holm', type: 'w' },
      { text: ' written, ' },
      { slot: '7', type: 'n' },
      { text: ' pages' },
    ]);
  });

  it('know where a slot stands in layouts of different length', () => {
    const { grouping, book, ids } = group([
      'fare=3 paid seats=4 by card',
      'fare=3 paid deck=b1 seats=9 by card',
    ]);
    expect(ids[0]).toBe(ids[1]);
    const { names, places } = grouping.patterns.slotsOf(grouping.patterns.find(ids[0]!)!);
    expect(names).toEqual(['fare', 'seats']);
    expect(places.get(book.layouts[1]!.id)).toEqual([{ slot: 0 }, { slot: 2 }]);
  });

  it('form the same way from the same layouts', () => {
    const texts = Array.from(
      { length: 300 },
      (_, index) => `step ${'abcdefghij'[index % 10]!} of ${'klmnop'[index % 6]!} took ${index}ms`,
    );
    expect(group(texts).ids).toEqual(group(texts).ids);
  });
});

describe('grain', () => {
  const texts = [
    ...PORTS.map((port) => `manifest for ${port} was written`),
    'door opened wide',
    'door closed wide',
    'door jammed fast',
    'engine 4 stopped',
    'engine 4 stopped (attempt 2)',
    'tide 5',
  ];
  const { grouping, book } = group(texts);
  const present = book.layouts.map(({ id }) => id);

  it('cuts to the number asked for, and neither loses nor doubles a layout', () => {
    for (let wanted = 1; wanted <= texts.length + 3; wanted++) {
      const all = [...grouping.cut(wanted, present).all().values()];
      expect(all.length).toBe(Math.min(wanted, texts.length));
      expect(all.flatMap(({ layouts }) => layouts.map(({ id }) => id)).sort((a, b) => a - b)).toEqual(
        present,
      );
    }
  });

  it('is a tree: a finer cut only parts the patterns of a coarser one', () => {
    for (let wanted = 2; wanted <= texts.length; wanted++) {
      const coarse = grouping.cut(wanted - 1, present);
      for (const { layouts } of grouping.cut(wanted, present).all().values()) {
        expect(new Set(layouts.map(({ id }) => coarse.idOf(id))).size).toBe(1);
      }
    }
  });

  it('counts only what is present', () => {
    const some = present.slice(0, 8);
    const cut = grouping.cut(2, some);
    expect(new Set(some.map((id) => cut.idOf(id))).size).toBe(2);
  });

  it('joins what is alike first, and says what joined and what would', () => {
    const three = grouping.cut(4, present);
    expect(three.idOf(6)).toBe(three.idOf(7));
    const manifest = grouping.patterns.find(grouping.patterns.idOf(0))!;
    expect(grouping.joinsOf(manifest)).toHaveLength(PORTS.length - 1);
    expect(grouping.joinsOf(manifest)[0]!.reason).toBe('varying value');
    const door = grouping.patterns.find(grouping.patterns.idOf(6))!;
    expect(grouping.patterns.idOf(grouping.nextFor(door)!.layout)).toBe(grouping.patterns.idOf(7));
  });

  it('holds for any texts', () => {
    const word = fc.constantFrom('a', 'bb', 'c', 'door', 'gate', '5', 'x=1', '(y)', 'of', 'for');
    fc.assert(
      fc.property(
        fc.array(fc.array(word, { minLength: 1, maxLength: 6 }), { minLength: 1, maxLength: 40 }),
        fc.integer({ min: 1, max: 45 }),
        (lines, wanted) => {
          const own = group(lines.map((words) => words.join(' ')));
          const ids = own.book.layouts.map(({ id }) => id);
          const all = [...own.grouping.cut(wanted, ids).all().values()];
          expect(all.flatMap(({ layouts }) => layouts.map(({ id }) => id)).sort((a, b) => a - b)).toEqual(
            ids,
          );
          // Forms that are the same are never parted, so there may be fewer than wanted; never more.
          const forms = new Set(own.book.layouts.map((layout) => formOf(layout).key)).size;
          expect(all.length).toBe(Math.min(wanted, forms));
        },
      ),
      { numRuns: 200 },
    );
  });
});

describe('corrections', () => {
  const texts = [
    'door opened wide',
    'door closed wide',
    'gate opened wide',
    ...PORTS.map((port) => `manifest for ${port} was written`),
  ];
  const plain = group(texts);

  it('join patterns', () => {
    const { ids } = group(texts, [{ kind: 'join', patterns: [plain.ids[0]!, plain.ids[3]!] }]);
    expect(ids[0]).toBe(ids[3]);
    expect(ids[1]).not.toBe(ids[0]);
  });

  it('make a word a slot, for what comes later too', () => {
    const form = slotForm(plain.book.layouts[0]!, 'opened')!;
    const { ids } = group([...texts, 'door jammed wide'], [{ kind: 'slot', pattern: plain.ids[0]!, form }]);
    expect(ids[0]).toBe(ids[1]);
    expect(ids.at(-1)).toBe(ids[0]);
    expect(ids[2]).not.toBe(ids[0]);
    expect(slotForm(plain.book.layouts[0]!, 'absent')).toBeUndefined();
  });

  it('set a layout apart', () => {
    const { ids } = group(texts, [{ kind: 'apart', pattern: plain.ids[3]!, layout: plain.ids[3]! }]);
    expect(ids[3]).not.toBe(ids[4]);
    expect(ids[5]).toBe(ids[4]);
  });

  it('give names', () => {
    const { grouping, ids } = group(texts, [
      { kind: 'name', pattern: plain.ids[3]!, name: 'manifest written' },
    ]);
    expect(grouping.named('manifest written')).toBe(ids[3]);
    expect(grouping.namesOf.get(ids[3]!)).toBe('manifest written');
  });

  it('of patterns that are not there do nothing', () => {
    const { ids } = group(texts, [
      { kind: 'join', patterns: ['nosuch', plain.ids[0]!] },
      { kind: 'split', pattern: 'nosuch', slot: 0 },
      { kind: 'name', pattern: 'nosuch', name: 'x' },
    ]);
    expect(ids).toEqual(plain.ids);
  });
});
