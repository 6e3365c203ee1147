import fc from 'fast-check';
import {
  appendFileSync,
  copyFileSync,
  mkdirSync,
  mkdtempSync,
  openSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
  symlinkSync,
  truncateSync,
  utimesSync,
  writeFileSync,
  writeSync,
  closeSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Follower } from './follower.js';

describe('a follower of a folder', () => {
  let folder: string;
  let clock: number;
  let taken: { source: string; key: string; text: string }[];
  let troubles: string[];
  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), 'flail-watch-'));
    clock = 1_000_000;
    taken = [];
    troubles = [];
  });
  afterEach(() => rmSync(folder, { recursive: true }));

  const file = (name: string): string => join(folder, name);
  const keep = (source: string, key: string, bytes: Uint8Array): Promise<void> => {
    taken.push({ source, key, text: Buffer.from(bytes).toString() });
    return Promise.resolve();
  };
  const follower = (take = keep): Follower =>
    new Follower(
      folder,
      file('.state'),
      take,
      (_, path, reason) => troubles.push(`${path}: ${reason}`),
      () => clock,
    );
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

  it('takes a new file with the number of an old one for a new one', async () => {
    writeFileSync(file('one.log'), 'one a\none b\n');
    await follower().look();
    rmSync(file('one.log'));
    writeFileSync(file('two.log'), 'two a\ntwo b\ntwo c\n');
    // File systems give the number of a file that is gone to the next one.
    const { ino } = statSync(file('two.log'), { bigint: true });
    const states = JSON.parse(readFileSync(file('.state'), 'utf8')) as { inode: string; born?: string }[];
    for (const kept of [true, false]) {
      taken = [];
      const reused = states.map((state) => ({
        ...state,
        inode: String(ino),
        ...(!kept && { born: undefined }),
      }));
      writeFileSync(file('.state'), JSON.stringify(reused));
      await follower().look();
      expect(taken.map(({ source, text }) => [source, text])).toEqual([['two.log', 'two a\ntwo b\ntwo c\n']]);
    }
  });

  it('goes on with what an earlier version wrote down', async () => {
    writeFileSync(file('app.log'), 'one\ntwo\n');
    const { ino } = statSync(file('app.log'));
    const old = { source: 'app.log', offset: 4, generation: 0, size: 4, grown: 0 };
    writeFileSync(file('.state'), JSON.stringify({ [ino]: old }));
    await follower().look();
    expect(taken).toEqual([{ source: 'app.log', key: `watch/${ino}/0/4`, text: 'two\n' }]);
  });

  it('takes a log once that is copied and then cut short', async () => {
    const own = follower();
    writeFileSync(file('app.log'), 'one\ntwo\n');
    await own.look();
    appendFileSync(file('app.log'), 'three\n');
    copyFileSync(file('app.log'), file('app.log.1'));
    truncateSync(file('app.log'), 0);
    appendFileSync(file('app.log'), 'four\n');
    await own.look();
    expect(textOf('app.log')).toBe('one\ntwo\nthree\nfour\n');
  });

  it('waits for a copy that is not done', async () => {
    const own = follower();
    writeFileSync(file('app.log'), 'one\ntwo\nthree\n');
    await own.look();
    clock = Date.now();
    writeFileSync(file('app.log.1'), 'one\ntw');
    await own.look();
    truncateSync(file('app.log'), 0);
    await own.look();
    appendFileSync(file('app.log.1'), 'o\nthree\nfour\n');
    await own.look();
    expect(textOf('app.log')).toBe('one\ntwo\nthree\nfour\n');
  });

  it('notices that a log was cut short when it has grown as large again', async () => {
    const own = follower();
    writeFileSync(file('app.log'), 'one\ntwo\n');
    await own.look();
    writeFileSync(file('app.log'), 'six\nten\n');
    utimesSync(file('app.log'), 1, 1);
    await own.look();
    expect(textOf('app.log')).toBe('one\ntwo\nsix\nten\n');
  });

  it('leaves out the hole of a writer that keeps its place when its file is cut short', async () => {
    const own = follower();
    const writer = openSync(file('app.log'), 'w');
    let at = 0;
    const write = (text: string): void => void (at += writeSync(writer, text, at));
    write('one\ntwo\n');
    await own.look();
    for (const line of ['three\n', 'four\n', 'five\n']) {
      truncateSync(file('app.log'), 0);
      write(line);
      await own.look();
    }
    // Also where it was not known before.
    truncateSync(file('app.log'), 0);
    write('six\n');
    rmSync(file('.state'));
    await follower().look();
    closeSync(writer);
    expect(textOf('app.log')).toBe('one\ntwo\nthree\nfour\nfive\nsix\n');
    expect(troubles).toEqual([]);
  });

  it('leaves out what is no log, says so, and follows the others', async () => {
    writeFileSync(file('m.png'), Buffer.from([0x89, 0x50, 0x4e, 0x47, 13, 10, 26, 10]));
    for (const name of ['a.log', 'z.log']) writeFileSync(file(name), `${name}\n`);
    await follower().look();
    expect(taken.map(({ source }) => source).sort()).toEqual(['a.log', 'z.log']);
    expect(troubles).toEqual(['m.png: it is a PNG picture, not lines of text']);
  });

  it('goes on with the others when one can not be taken', async () => {
    for (const name of ['a.log', 'b.log', 'c.log']) writeFileSync(file(name), `${name}\n`);
    const own = follower((source, key, bytes) =>
      source === 'b.log' ? Promise.reject(new Error('not now')) : keep(source, key, bytes),
    );
    await expect(own.look()).rejects.toThrow('not now');
    expect(taken.map(({ source }) => source).sort()).toEqual(['a.log', 'c.log']);
  });

  it('follows folders and links, each file once, and ends where links go in a circle', async () => {
    const outside = mkdtempSync(join(tmpdir(), 'flail-linked-'));
    mkdirSync(file('deep/er'), { recursive: true });
    writeFileSync(file('deep/er/app.log'), 'deep\n');
    writeFileSync(join(outside, 'real.log'), 'linked\n');
    symlinkSync(join(outside, 'real.log'), file('link.log'));
    symlinkSync('deep/er/app.log', file('current.log'));
    symlinkSync('..', file('deep/up'));
    symlinkSync('nowhere', file('broken.log'));
    await follower().look();
    rmSync(outside, { recursive: true });
    expect(taken.map(({ source, text }) => [source, text]).sort()).toEqual([
      ['deep/er/app.log', 'deep\n'],
      ['link.log', 'linked\n'],
    ]);
    expect(troubles).toEqual([]);
  });

  it('ends a look when it is told to', async () => {
    for (let index = 0; index < 100; index++) writeFileSync(file(`${index}.log`), 'x\n');
    const own: Follower = follower((source, key, bytes) => {
      own.stop();
      return keep(source, key, bytes);
    });
    await own.look();
    expect(taken.length).toBeLessThan(50);
    taken.length = 0;
    await follower().look();
    expect(taken.length).toBeGreaterThan(50);
  });

  it('takes every line once, however logs are rotated', async () => {
    const act = fc.oneof(
      { weight: 6, arbitrary: fc.constant('write' as const) },
      { weight: 4, arbitrary: fc.constant('look' as const) },
      { weight: 2, arbitrary: fc.constantFrom('rename' as const, 'copy' as const) },
      { weight: 1, arbitrary: fc.constant('restart' as const) },
    );
    await fc.assert(
      fc.asyncProperty(fc.array(act, { maxLength: 30 }), async (acts) => {
        rmSync(folder, { recursive: true });
        folder = mkdtempSync(join(tmpdir(), 'flail-watch-'));
        taken = [];
        let own = follower();
        const written: string[] = [];
        let rotated = 0;
        writeFileSync(file('app.log'), '');
        for (const next of acts) {
          if (next === 'look') await own.look();
          else if (next === 'restart') own = follower();
          else if (next === 'write') {
            written.push(`line ${written.length}`);
            appendFileSync(file('app.log'), `${written.at(-1)!}\n`);
          } else if (next === 'copy') {
            copyFileSync(file('app.log'), file(`app.log.${++rotated}`));
            truncateSync(file('app.log'), 0);
          } else {
            renameSync(file('app.log'), file(`app.log.${++rotated}`));
            writeFileSync(file('app.log'), '');
          }
        }
        await own.look();
        await own.look();
        const lines = textOf('app.log').split('\n').filter(Boolean);
        expect(lines.sort()).toEqual([...written].sort());
        expect(new Set(taken.map(({ source }) => source)).size).toBeLessThan(2);
      }),
      { numRuns: 60 },
    );
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
