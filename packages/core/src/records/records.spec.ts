import fc from 'fast-check';
import { fieldName } from './fields.js';
import { isLevelWord, LEVELS, levelCode, levelOfStatus } from './levels.js';
import { decodeLogfmt, encodeValue, MAX_SHAPES, rebuildLine, type Shape, ShapeBook } from './shape.js';

describe('levels', () => {
  it.each([
    ['ERROR', 'error'],
    ['warning', 'warn'],
    ['Notice', 'info'],
    ['crit', 'fatal'],
    ['LOG', 'info'],
    ['9', 'info'],
    ['17', 'error'],
    ['24', 'fatal'],
    ['30', 'info'],
    ['50', 'error'],
    ['61', 'unset'],
    ['loud', 'unset'],
    ['', 'unset'],
  ])('%j is %s', (raw, level) => {
    expect(LEVELS[levelCode(raw)]).toBe(level);
  });

  it.each([
    [200, 'info'],
    [302, 'info'],
    [404, 'warn'],
    [503, 'error'],
  ])('an answer %i is %s', (status, level) => {
    expect(LEVELS[levelOfStatus(status)]).toBe(level);
  });

  it('are told from other words', () => {
    expect(isLevelWord('Warn')).toBe(true);
    expect(isLevelWord('warm')).toBe(false);
  });
});

describe('names of fields', () => {
  it.each([
    ['service.name', 'service'],
    ['TraceId', 'trace'],
    ['@timestamp', 'time'],
    ['Severity', 'level'],
    ['host.name', 'host'],
    ['http.route', 'http.route'],
    ['MyField', 'MyField'],
  ])('%s is %s', (raw, name) => {
    expect(fieldName(raw)).toBe(name);
  });
});

describe('values in their lines', () => {
  it('of logfmt come back from their escapes', () => {
    fc.assert(
      fc.property(fc.string(), (value) => {
        expect(decodeLogfmt(encodeValue(value, 'logfmt'))).toBe(value);
      }),
    );
  });

  it('of JSON are written as the language writes them', () => {
    expect(encodeValue('a "b"\n\\', 'json')).toBe('a \\"b\\"\\n\\\\');
    expect(encodeValue('a "b"', 'none')).toBe('a "b"');
  });
});

describe('shapes', () => {
  const parts = (literal: string): Omit<Shape, 'id'> => ({
    format: 'json',
    literals: [literal, ' at ', ''],
    holes: [
      { name: 'text', quote: 'none' },
      { name: 'time', quote: 'none', format: 'I-T-0Z' },
    ],
    shadows: [],
  });

  it('are one when they are alike, and found again after a restart', () => {
    const book = new ShapeBook();
    const shape = book.intern(parts('a'))!;
    expect(book.intern(parts('a'))).toBe(shape);
    expect(book.intern(parts('b'))!.id).toBe(1);
    expect(new ShapeBook(book.shapes).intern(parts('b'))!.id).toBe(1);
  });

  it('give the line back from time and text', () => {
    const shape = new ShapeBook().intern(parts('said: '))!;
    expect(rebuildLine(shape, Date.UTC(2026, 2, 2, 18) * 1000, 'hello', () => '')).toBe(
      'said: hello at 2026-03-02T18:00:00Z',
    );
  });

  it('are no longer kept when a sender invents them without end', () => {
    const book = new ShapeBook();
    for (let index = 0; index < MAX_SHAPES; index++) book.intern(parts(String(index)));
    expect(book.intern(parts('one more'))).toBeUndefined();
    expect(book.intern(parts('7'))).toBeDefined();
  });
});
