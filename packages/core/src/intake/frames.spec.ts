import { MemoryStore } from '../testing/memory-store.js';
import { ownFrame } from './frames.js';

describe('the frame that a trace is known by', () => {
  it.each<[string, string, [string, string, string] | undefined]>([
    [
      'the first of the program itself',
      'Error: lease lost\n    at parse (/srv/app/node_modules/x/parse.js:3:1)\n    at async allot (/srv/app/berths.js:42:7)\n    at main (/srv/app/main.js:9:1)',
      ['/srv/app/berths.js', '42', 'allot'],
    ],
    ['one without a function', 'x\n    at /srv/app/main.js:9:1', ['/srv/app/main.js', '9', '']],
    [
      'of a class',
      'java.lang.IllegalStateException: no berth\n\tat java.base/java.util.HashMap.get(HashMap.java:5)\n\tat org.example.Gate.open(Gate.java:42)',
      ['Gate.java', '42', 'org.example.Gate.open'],
    ],
    [
      'the last of a traceback',
      'failed\nTraceback (most recent call last):\n  File "/srv/app/main.py", line 3, in main\n    run()\n  File "/srv/app/tide.py", line 12, in read\n    x\n  File "/usr/lib/python3/json/decoder.py", line 1, in decode\nValueError: no tide',
      ['/srv/app/tide.py', '12', 'read'],
    ],
    [
      'with the word line',
      'x\n   at Gate.Open() in /srv/app/Gate.cs:line 42',
      ['/srv/app/Gate.cs', '42', 'Gate.Open()'],
    ],
    [
      'below its function',
      'panic: no berth\n\nmain.open(...)\n\t/srv/app/gate.go:42 +0x1d',
      ['/srv/app/gate.go', '42', ''],
    ],
    [
      'the nearest where all are foreign',
      'x\n    at a (/srv/node_modules/y.js:1:2)',
      ['/srv/node_modules/y.js', '1', 'a'],
    ],
    ['none in lines that are no frames', 'first\nsecond line\nthird: 12:30', undefined],
    ['none in one line', 'at main (/srv/app/main.js:9:1)', undefined],
  ])('is %s', (_, text, expected) => {
    const frame = ownFrame(text);
    expect(frame && [frame.file, frame.line, frame.function]).toEqual(expected);
  });

  it('is found as fields, and the line comes back as it was', async () => {
    const store = new MemoryStore();
    const trace =
      'Error: lease lost\n    at allot (/srv/app/berths.js:42:7)\n    at main (/srv/app/main.js:9:1)';
    const lines = [
      JSON.stringify({ ts: '2026-03-02T18:00:00Z', level: 'error', msg: trace }),
      JSON.stringify({ ts: '2026-03-02T18:00:01Z', level: 'info', msg: 'fine' }),
      JSON.stringify({ ts: '2026-03-02T18:00:02Z', level: 'error', msg: trace, 'code.line.number': 7 }),
    ];
    store.take(lines.join('\n'));
    const plain = `2026-03-02 18:00:03 ERROR ${trace}`;
    store.take(plain);
    const fields: Record<string, string>[] = [];
    for (const view of store.views())
      for (let row = 0; row < view.count; row++) fields.push(Object.fromEntries(await view.fields(row)));
    const found = {
      'code.file.path': '/srv/app/berths.js',
      'code.line.number': '42',
      'code.function.name': 'allot',
    };
    expect(fields[0]).toMatchObject(found);
    expect(fields[1]).not.toHaveProperty(['code.file.path']);
    // What the sender says itself stands.
    expect(fields[2]).toMatchObject({ 'code.line.number': '7' });
    expect(fields[2]).not.toHaveProperty(['code.file.path']);
    expect(fields[3]).toMatchObject(found);
    expect((await store.lines()).map(String)).toEqual([...lines, plain]);
  });
});
