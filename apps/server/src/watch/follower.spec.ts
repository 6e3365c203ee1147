import fc from 'fast-check';
import { appendFileSync, mkdtempSync, renameSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Follower } from './follower.js';

describe('a follower of a folder', () => {
  let folder: string;
  let clock: number;
  let taken: { source: string; key: string; text: string }[];
  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), 'flail-watch-'));
    clock = 1_000_000;
    taken = [];
  });
  afterEach(() => rmSync(folder, { recursive: true }));

  const file = (name: string): string => join(folder, name);
  const keep = (source: string, key: string, bytes: Uint8Array): Promise<void> => {
    taken.push({ source, key, text: Buffer.from(bytes).toString() });
    return Promise.resolve();
  };
  const follower = (take = keep): Follower => new Follower(folder, file('.state'), take, () => clock);
  const textOf = (source: string): string =>
    taken
      .filter((one) => one.source === source)
      .map(({ text }) => text)
      .join('');

  it('takes what is there, then what comes, line by line', async () => {
    const own = follower();
    writeFileSync(file('app.log'), 'one\ntwo\nthr');
    await own.look();
    expect(textOf('app.log')).toBe('one\ntwo\n');
    appendFileSync(file('app.log'), 'ee\n');
    await own.look();
    await own.look();
    expect(textOf('app.log')).toBe('one\ntwo\nthree\n');
    expect(new Set(taken.map(({ key }) => key)).size).toBe(taken.length);
  });

  it('does not wait for ever for the end of a line', async () => {
    const own = follower();
    writeFileSync(file('app.log'), 'no end');
    await own.look();
    expect(taken).toEqual([]);
    clock += 6000;
    await own.look();
    expect(textOf('app.log')).toBe('no end');
  });

  it('goes on over renaming and over being cut short', async () => {
    const own = follower();
    writeFileSync(file('app.log'), 'one\n');
    await own.look();
    appendFileSync(file('app.log'), 'two\n');
    renameSync(file('app.log'), file('app.log.1'));
    writeFileSync(file('app.log'), 'three\n');
    await own.look();
    truncateSync(file('app.log'), 0);
    appendFileSync(file('app.log'), '4\n');
    await own.look();
    expect(textOf('app.log')).toBe('one\ntwo\nthree\n4\n');
  });

  it('leaves packed and hidden files alone', async () => {
    for (const name of ['old.log.gz', '.hidden']) writeFileSync(file(name), 'x\n');
    await follower().look();
    expect(taken).toEqual([]);
  });

  it('sends exactly the same again after an end in the middle', async () => {
    writeFileSync(file('app.log'), 'one\n');
    const failing = follower((source, key, bytes) =>
      keep(source, key, bytes).then(() => Promise.reject(new Error('end'))),
    );
    await expect(failing.look()).rejects.toThrow('end');
    appendFileSync(file('app.log'), 'two\n');
    await follower().look();
    expect(taken.map(({ text }) => text)).toEqual(['one\n', 'one\n', 'two\n']);
    expect(taken[0]!.key).toBe(taken[1]!.key);
    expect(taken[2]!.key).not.toBe(taken[1]!.key);
  });

  it('takes every byte once, whatever happens when', async () => {
    const act = fc.oneof(
      {
        weight: 6,
        arbitrary: fc.string({ minLength: 1, maxLength: 12, unit: fc.constantFrom('a', 'b', '\n') }),
      },
      { weight: 4, arbitrary: fc.constant('look' as const) },
      { weight: 1, arbitrary: fc.constant('rotate' as const) },
      { weight: 1, arbitrary: fc.constant('restart' as const) },
    );
    await fc.assert(
      fc.asyncProperty(fc.array(act, { maxLength: 30 }), async (acts) => {
        rmSync(folder, { recursive: true });
        folder = mkdtempSync(join(tmpdir(), 'flail-watch-'));
        taken = [];
        let own = follower();
        let rotated = 0;
        const written: string[] = [''];
        writeFileSync(file('app.log'), '');
        for (const next of acts) {
          if (next === 'look') await own.look();
          else if (next === 'restart') own = follower();
          else if (next === 'rotate') {
            renameSync(file('app.log'), file(`app.log.${++rotated}`));
            writeFileSync(file('app.log'), '');
            written.push('');
          } else {
            appendFileSync(file('app.log'), next);
            written[written.length - 1] += next;
          }
        }
        await own.look();
        clock += 6000;
        await own.look();
        const byFile = new Map<string, string>();
        for (const { key, text } of taken) {
          const [, inode] = key.split('/');
          byFile.set(inode!, (byFile.get(inode!) ?? '') + text);
        }
        expect([...byFile.values()].sort()).toEqual(written.filter((text) => text !== '').sort());
      }),
      { numRuns: 40 },
    );
  });
});
