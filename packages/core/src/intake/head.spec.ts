import { LEVELS } from '../records/levels.js';
import { ShapeBook } from '../records/shape.js';
import { type Head, learnHeads, readHead } from './head.js';
import { headsOf, PlainReader } from './plain.js';

const NOW = Date.UTC(2026, 11, 1) * 1000;
const WORDS = [
  'gate opened at 4',
  'berth 7 is free',
  'crew of 12 went ashore',
  'tide turned',
  'mast 3 checked',
];

/** Lines of one form, each with another text. */
const linesOf = (form: (text: string, at: number) => string): string[] =>
  Array.from({ length: 30 }, (_, at) => form(WORDS[at % WORDS.length]!, at));

/** What a reader that has learned from the lines makes of the last of them. */
function read(lines: readonly string[]) {
  const reader = new PlainReader(new ShapeBook(), headsOf(lines, NOW), NOW);
  const { shape, values, micros, level, text } = reader.read(lines.at(-1)!);
  const fields = Object.fromEntries(
    shape.holes.flatMap(({ name, format }, hole) =>
      name === 'text' || format !== undefined ? [] : [[name, values[hole]!]],
    ),
  );
  return { fields, time: new Date(micros / 1000).toISOString(), level: LEVELS[level], text };
}

describe('heads of lines', () => {
  it.each<[string, (text: string, at: number) => string, object]>([
    [
      'a time with day of the week, module and level in brackets, a process in brackets',
      (text, at) => `[Mon Nov 30 13:27:${10 + at}.473516 2026] [ssl:warn] [pid ${at}:tid 9] ${text}`,
      {
        time: '2026-11-30T13:27:39.473Z',
        level: 'warn',
        text: 'mast 3 checked',
        fields: { logger: 'ssl:warn', thread: 'pid 29:tid 9', time: 'Mon Nov 30 13:27:39.473516 2026' },
      },
    ],
    [
      'a process, a time and a mark',
      (text, at) => `2550${at}:M 30 Nov 2026 13:27:${10 + at}.497 # ${text}`,
      {
        time: '2026-11-30T13:27:39.497Z',
        level: 'warn',
        text: 'mast 3 checked',
        fields: { 'process.id': '255029:M', level: '#', time: '30 Nov 2026 13:27:39.497' },
      },
    ],
    [
      'the letter of a level, glued to the date',
      (text, at) => `E1130 13:27:${10 + at}.123456   18717 gate.go:4${at}] ${text}`,
      {
        time: '2026-11-30T13:27:39.123Z',
        level: 'error',
        text: 'gate.go:429] mast 3 checked',
        fields: { level: 'E', 'process.id': '18717', time: '1130 13:27:39.123456' },
      },
    ],
    [
      'a time, a process in brackets, a name that only some lines have, and a level',
      (text, at) =>
        `2026-11-30 13:27:${10 + at} UTC [${at}] ${at % 3 === 0 ? '' : 'harbour@quay '}LOG:  ${text}`,
      {
        time: '2026-11-30T13:27:39.000Z',
        level: 'info',
        text: 'mast 3 checked',
        fields: {
          'process.id': '29',
          context: 'harbour@quay',
          level: 'LOG',
          time: '2026-11-30 13:27:39 UTC',
        },
      },
    ],
    [
      "a level, which may be one of the program's own, and a time",
      (text, at) => `${at % 10 === 9 ? 'BERTHING' : 'NOTICE  '} Nov 30 13:27:${10 + at}.944 [317]: ${text}`,
      {
        time: '2026-11-30T13:27:39.944Z',
        level: 'unset',
        text: 'mast 3 checked',
        fields: { level: 'BERTHING', time: 'Nov 30 13:27:39.944', 'process.id': '317' },
      },
    ],
    [
      'a number and a level, without any time',
      (text, at) => `${at} ${at % 2 === 0 ? 'verbose' : 'warn'} ${text}`,
      { time: undefined, level: 'warn', text: 'mast 3 checked', fields: { number: '29', level: 'warn' } },
    ],
    [
      'the tag of a program with its process',
      (text, at) => `2026-11-30 13:27:${10 + at} quay gates[4${at}]: ${text}`,
      {
        time: '2026-11-30T13:27:39.000Z',
        level: 'unset',
        text: 'mast 3 checked',
        fields: { host: 'quay', service: 'gates', 'process.id': '429' },
      },
    ],
  ])('are %s', (_, form, expected) => {
    const lines = linesOf(form);
    const { time, ...rest } = expected as { time?: string };
    if (time === undefined) {
      expect(
        Number.isNaN(new PlainReader(new ShapeBook(), headsOf(lines, NOW), NOW).read(lines[0]!).micros),
      ).toBe(true);
      const reader = new PlainReader(new ShapeBook(), headsOf(lines, NOW), NOW).read(lines.at(-1)!);
      expect(reader.text).toBe('mast 3 checked');
      expect(LEVELS[reader.level]).toBe('warn');
    } else expect(read(lines)).toEqual({ time, ...rest });
  });

  it('are none where lines open with words', () => {
    expect(
      learnHeads(
        linesOf((text) => text),
        NOW,
      ),
    ).toEqual([]);
    expect(learnHeads(['one', 'two'], NOW)).toEqual([]);
  });

  it('may be several in one source', () => {
    const lines = linesOf((text, at) =>
      at % 5 === 0 ? `4711 WARN 13:00:${10 + at} ${text}` : `13:00:${10 + at}.5 ${text}`,
    );
    expect(headsOf(lines, NOW)).toEqual([['time'], ['process', 'level', 'time']]);
  });

  it('are kept while lines go on to have them, and learned anew when they do not', () => {
    const known: Head[] = [['process', 'time', 'mark']];
    const marked = linesOf((text, at) => `255:M 30 Nov 2026 13:27:${10 + at}.1 * ${text}`);
    expect(headsOf(marked.slice(0, 1), NOW, known)).toBe(known);
    const other = linesOf((text, at) => `[Mon Nov 30 13:27:${10 + at} 2026] [gate:info] ${text}`);
    expect(headsOf(other, NOW, known)[0]).toEqual(['time', 'bracket']);
    // A person who says that there are none is believed.
    expect(headsOf(marked, NOW, [])).toEqual([]);
  });

  it('leave a line without their time to be read otherwise', () => {
    expect(readHead('gate opened', ['time', 'level'], NOW)).toBeUndefined();
    expect(readHead('13:00:00 gate opened', ['time', 'level'], NOW)).toMatchObject({ text: 9 });
  });
});
