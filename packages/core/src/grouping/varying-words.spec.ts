import { pseudoRandom } from '../testing/random.js';
import { formOfText } from './form.js';
import { groupByVaryingWords } from './varying-words.js';

const COUNT = 900;

/** More statements of one skeleton than are compared each with each. */
function manyTexts(): string[] {
  const random = pseudoRandom(11);
  const word = (of: string, ways: number): string =>
    `${of}${'abcdefghijklmnopqrst'[Math.floor(random() * ways)]!}`;
  const drawn = Array.from(
    { length: COUNT },
    () =>
      `${word('gull', 20)} ${word('tern', 20)} flew ${word('auk', 20)} ${word('skua', 20)} ${word('knot', 9)}`,
  );
  return [...new Set(drawn)];
}

describe('words that vary', () => {
  it('are found among many statements as among few: no group hangs together by more than its words', () => {
    const texts = manyTexts();
    const ports = ['skerry', 'holm', 'tarn', 'brannay', 'eider', 'rousay', 'fetlar', 'unst'];
    const planned = ports.map((port) => `berths opened at ${port} before dawn`);
    expect(texts.length + planned.length).toBeGreaterThan(600);
    const forms = [...texts, ...planned].map((text) => formOfText(text));
    const own = planned.map((_, at) => texts.length + at);
    const groups = groupByVaryingWords(forms);
    expect(groups.map(({ members }) => members)).toContainEqual(own);
    const alone = groupByVaryingWords(planned.map((text) => formOfText(text)));
    expect(groups.find(({ members }) => members[0] === own[0])!.form.key).toBe(alone[0]!.form.key);
  });

  it('are not looked for again among statements where none were found', () => {
    const forms = ['gate opened at dawn', 'mail went out early'].map((text) => formOfText(text));
    const settled = new Map<string, typeof forms>();
    expect(groupByVaryingWords(forms, settled)).toEqual([]);
    expect([...settled.values()]).toEqual([forms]);
    const ports = ['skerry', 'holm', 'tarn', 'brannay', 'eider', 'rousay'];
    const more = ports.map((port) => formOfText(`gate opened at ${port}`));
    // With more of the same skeleton it is not settled any longer.
    const found = groupByVaryingWords([...forms, ...more], settled);
    expect(found).toEqual(groupByVaryingWords([...forms, ...more]));
    expect(found).toHaveLength(1);
  });
});
