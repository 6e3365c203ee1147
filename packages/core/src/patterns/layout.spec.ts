import fc from 'fast-check';
import { LayoutBook, rebuildText } from './layout.js';
import { Scan, scanText } from './scanner.js';
import { pseudoRandom } from '../testing/random.js';

/** A text with its slots shown as <type>. */
function shape(text: string, request = false): string {
  const scan = new Scan();
  const bytes = Buffer.from(text);
  scanText(bytes, 0, bytes.length, scan, request);
  let shown = '';
  let at = 0;
  for (let slot = 0; slot < scan.count; slot++) {
    shown += `${bytes.toString('utf8', at, scan.starts[slot])}<${String.fromCharCode(scan.types[slot]!)}>`;
    at = scan.ends[slot]!;
  }
  return shown + bytes.toString('utf8', at);
}

describe('slots', () => {
  it.each([
    ['took 250ms, then 1.2s', 'took <d>, then <d>'],
    ['wrote 20kB of 3.5MiB at 40%', 'wrote <b> of <b> at <p>'],
    ['id 550e8400-e29b-41d4-a716-446655440000 gone', 'id <u> gone'],
    ['from 10.1.2.3:8080 to [::1]', 'from <i>:<n> to [<i>]'],
    ['key rk:9f8e7d6c5b4a3021 missing', 'key rk:<x> missing'],
    ['at 2026-03-02T18:00:00Z and 18:00:01.5', 'at <t> and <t>'],
    ['mail a.b@c.example sent to http://x/y?z=1.', 'mail <e> sent to <l>.'],
    ['name "two words" and it\'s done', 'name "<q>" and it\'s done'],
    ['{"key":"value"}', '{"key":"<q>"}'],
    ['offset -41 s, +3', 'offset <n> s, <n>'],
    ['pod nq-03 on berth-allocator', 'pod <k> on berth-allocator'],
    ['GET /v1/sailings/SL-7/plan', 'GET <f>'],
    ['version 2.36-9+deb12u4', 'version <k>'],
    ['flag 0xff', 'flag <x>'],
    ['peer fe80::1%eth0 and 2001:db8::8:800:200c:417a', 'peer <i>%<k> and <i>'],
    ['card aa:bb:cc:dd:ee:ff at 12:30', 'card <x> at <t>'],
    ['std::vector has no size', 'std::vector has no size'],
    ['opened /var/log/a b.txt, src/app/main.js and/or C:\\data\\x.csv', 'opened <f> b.txt, <f> and/or <f>'],
    ['db.north.example:5432 refused', '<k>:<n> refused'],
    ['built g++-12 7.0+dfsg+~3.5-1 with c++ today', 'built <k> <k> with c++ today'],
    ['waited 3µs', 'waited <d>'],
    ['', ''],
  ])('%s', (text, expected) => {
    expect(shape(text)).toBe(expected);
  });

  it('keeps the status of a request literal', () => {
    expect(shape('"GET /v1/x/7 HTTP/1.1" 503 97', true)).toBe('"GET /v1/x/<n> HTTP/1.1" 503 <n>');
  });

  it('makes further lines one slot', () => {
    expect(shape('failed 3\n\tat x.y(Z.java:3)')).toBe('failed <n>\n<r>');
  });
});

describe('layouts', () => {
  const bookOf = (): LayoutBook => new LayoutBook();

  it('are shared by texts that differ in values only, and give the text back', () => {
    const book = bookOf();
    const texts = ['lease 1 lost', 'lease 22 lost', 'lease 3 kept'];
    const parts = texts.map((text) => book.partsOf(text));
    expect(parts[0]!.layout).toBe(parts[1]!.layout);
    expect(parts[2]!.layout).not.toBe(parts[0]!.layout);
    expect(parts.map(({ layout, values }) => rebuildText(layout, values))).toEqual(texts);
  });

  it('make a word a slot once very many stood there, and not before', () => {
    const book = bookOf();
    const word = (index: number): string =>
      `w${'abcdefghij'[index % 10]!}${'klmnopqrst'[Math.floor(index / 10)]!}`;
    const texts = Array.from({ length: 60 }, (_, index) => `package ${word(index)} installed`);
    const parts = texts.map((text) => book.partsOf(text));
    expect(parts[10]!.layout.types).toBe('');
    expect(parts[59]!.layout.types).toBe('w');
    expect(book.layouts.length).toBe(33);
    expect(parts.map(({ layout, values }) => rebuildText(layout, values))).toEqual(texts);
  });

  it('are found again after a restart, whether literal or general', () => {
    const book = bookOf();
    for (let index = 0; index < 50; index++)
      book.partsOf(`stop ${'abcdefghijklmnopqrstuvwxyz'[index % 26]!}${index < 26 ? 'x' : 'y'} now 7`);
    const again = new LayoutBook(book.layouts);
    for (const text of ['stop ax now 7', 'stop never now 12']) {
      expect(again.partsOf(text).layout.id).toBe(book.partsOf(text).layout.id);
    }
    expect(again.layouts.length).toBe(book.layouts.length);
  });

  it('stay bounded when every line is different, and still give every text back', () => {
    // Reaching the limit itself would take long; what it does is checked on a full book.
    const full = new LayoutBook(
      Array.from({ length: 60_000 }, (_, id) => ({ id, literals: [`line ${id}x`], types: '' })),
    );
    const texts = ['something quite new', 'and 5 more', 'another\nwith lines'];
    for (const text of texts) {
      const { layout, values } = full.partsOf(text);
      expect(rebuildText(layout, values)).toBe(text);
      expect(layout.types).toBe('r');
    }
    expect(full.layouts.length).toBe(60_001);
  });

  it('make the rest one slot behind a beginning that goes on freely', () => {
    const book = bookOf();
    const random = pseudoRandom(7);
    const letter = (): string => 'abcdefghijklmnopqrst'[Math.floor(random() * 20)]!;
    const word = (): string => letter() + letter() + letter() + letter();
    const texts = Array.from(
      { length: 600 },
      (_, index) => `the guest wrote that ${Array.from({ length: 3 + (index % 4) }, word).join(' ')}`,
    );
    const parts = texts.map((text) => book.partsOf(text));
    expect(parts.map(({ layout, values }) => rebuildText(layout, values))).toEqual(texts);
    const made = book.layouts.length;
    const { layout, values } = book.partsOf('the guest wrote that nobody ever came by here');
    expect(book.layouts.length).toBe(made);
    expect(layout.types).toBe('r');
    expect(values).toEqual(['nobody ever came by here']);
  });

  it('give any text back', () => {
    const book = bookOf();
    fc.assert(
      fc.property(fc.oneof(fc.string({ unit: 'grapheme' }), fc.string({ unit: 'binary' })), (text) => {
        const { layout, values } = book.partsOf(text);
        expect(rebuildText(layout, values)).toBe(text);
      }),
      { numRuns: 2000 },
    );
  });
});
