import { LayoutBook } from './layout.js';
import { PatternBook, sentenceOf } from './pattern-book.js';
import { Scan } from './scanner.js';

function patternsOf(...texts: string[]): { ids: string[]; book: PatternBook; layouts: LayoutBook } {
  const layouts = new LayoutBook(new Scan());
  const parts = texts.map((text) => layouts.partsOf(text));
  const book = new PatternBook();
  layouts.layouts.forEach((layout) => book.add(layout));
  return { ids: parts.map(({ layout }) => book.idOf(layout.id)), book, layouts };
}

describe('patterns', () => {
  it('take slots for alike whatever their type', () => {
    const { ids } = patternsOf('key 12345678 gone', 'key 9f8e7d6c gone', 'key 5 lost');
    expect(ids[0]).toBe(ids[1]);
    expect(ids[2]).not.toBe(ids[0]);
  });

  it('take a word for a value where others have one', () => {
    const { ids } = patternsOf('upgrade 1.2.3 done', 'upgrade none done');
    expect(ids[0]).toBe(ids[1]);
  });

  it('take the word behind an equals sign for a slot, and a list for one slot', () => {
    expect(new Set(patternsOf('moved port=holm at 3', 'moved port=tarn at 4').ids).size).toBe(1);
    expect(new Set(patternsOf('ids 1, 2, 3 lost', 'ids 4 lost').ids).size).toBe(1);
  });

  it('join what differs in one word among five or more, and keep apart what differs among fewer', () => {
    const ports = ['skerry', 'holm', 'tarn', 'brannay', 'eider'];
    expect(new Set(patternsOf(...ports.map((port) => `manifest for ${port} written`)).ids).size).toBe(1);
    expect(new Set(patternsOf('door opened wide', 'door closed wide').ids).size).toBe(2);
  });

  it('keep their id while they grow, and are found by an id that has joined them', () => {
    const words = ['ant', 'bee', 'cat', 'dog', 'eel', 'fox'];
    const few = patternsOf(...words.slice(0, 2).map((word) => `saw ${word} pass`));
    const many = patternsOf(...words.map((word) => `saw ${word} pass`));
    expect(few.ids[0]).not.toBe(few.ids[1]);
    expect(new Set(many.ids)).toEqual(new Set([few.ids[0]]));
    expect(many.book.layoutsOf(few.ids[1]!).size).toBe(words.length);
    expect(many.book.layoutsOf('nosuch').size).toBe(0);
  });

  it('show a gap where their layouts have different words', () => {
    const ports = ['skerry', 'holm', 'tarn', 'brannay', 'eider'];
    const { book, layouts, ids } = patternsOf(
      ...ports.map((port) => `manifest for ${port} written, 5 pages`),
    );
    const pattern = book.patterns().get(ids[0]!)!;
    expect(sentenceOf(pattern, layouts.layouts[1]!, ['7'])).toEqual([
      { text: 'manifest for ' },
      { slot: 'holm', type: 'w' },
      { text: ' written, ' },
      { slot: '7', type: 'n' },
      { text: ' pages' },
    ]);
  });

  it('form the same way from the same layouts', () => {
    const texts = Array.from(
      { length: 300 },
      (_, index) => `step ${'abcdefghij'[index % 10]!} of ${'klmnop'[index % 6]!} took ${index}ms`,
    );
    expect(patternsOf(...texts).ids).toEqual(patternsOf(...texts).ids);
  });
});
