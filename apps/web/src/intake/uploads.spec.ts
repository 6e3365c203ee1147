import { isBundle, Uploads } from './uploads.js';

/** A request that is answered as the test wants. */
class FakeRequest {
  static made: FakeRequest[] = [];
  upload: { onprogress?: (event: { loaded: number }) => void; onload?: () => void } = {};
  onload?: () => void;
  onerror?: () => void;
  onabort?: () => void;
  status = 0;
  responseText = '';
  method = '';
  address = '';
  headers: Record<string, string> = {};

  constructor() {
    FakeRequest.made.push(this);
  }
  open(method: string, address: string): void {
    this.method = method;
    this.address = address;
  }
  setRequestHeader(name: string, value: string): void {
    this.headers[name] = value;
  }
  send(): void {
    // Answered later.
  }
  abort(): void {
    this.onabort?.();
  }
  answer(status: number, body: object): void {
    this.status = status;
    this.responseText = JSON.stringify(body);
    this.onload?.();
  }
}

describe('uploads', () => {
  const real = global.XMLHttpRequest;
  beforeEach(() => {
    FakeRequest.made = [];
    global.XMLHttpRequest = FakeRequest as unknown as typeof XMLHttpRequest;
  });
  afterAll(() => (global.XMLHttpRequest = real));
  const file = (name: string): File => new File(['one\ntwo\n'], name);

  it('send one file after another, each with a key of its own', () => {
    let stored = 0;
    const uploads = new Uploads(() => stored++);
    uploads.add([file('a.log'), file('b.log')], 'auto');
    expect(FakeRequest.made).toHaveLength(1);
    FakeRequest.made[0]!.answer(200, { accepted: 2 });
    expect(FakeRequest.made).toHaveLength(2);
    FakeRequest.made[1]!.answer(503, { detail: 'The disk is full.' });
    expect(uploads.snapshot().map(({ name, state }) => [name, state])).toEqual([
      ['b.log', 'failed'],
      ['a.log', 'done'],
    ]);
    expect(uploads.snapshot()[0]!.error).toBe('The disk is full.');
    expect(stored).toBe(1);
    const keys = FakeRequest.made.map(({ headers }) => headers['idempotency-key']);
    expect(new Set(keys).size).toBe(2);
  });

  it('open archives as data sets of their own', () => {
    const uploads = new Uploads(() => undefined);
    uploads.add([file('night.ZIP')], 'auto');
    expect(isBundle({ name: 'night.ZIP' })).toBe(true);
    expect(FakeRequest.made[0]).toMatchObject({ method: 'POST', address: '/api/v1/datasets' });
    FakeRequest.made[0]!.answer(200, { dataset: 'night-3', name: 'Night', files: [] });
    expect(uploads.snapshot()[0]!.opened).toMatchObject({ dataset: 'night-3' });
  });

  it('can be stopped while they wait, and while they are sent', () => {
    const uploads = new Uploads(() => undefined);
    uploads.add([file('a.log'), file('b.log')], 'auto');
    const [second, first] = uploads.snapshot();
    uploads.stop(second!.id);
    uploads.stop(first!.id);
    expect(uploads.snapshot().map(({ state }) => state)).toEqual(['stopped', 'stopped']);
    expect(FakeRequest.made).toHaveLength(1);
  });

  it('say so when the connection ends, and go on with the next', () => {
    const uploads = new Uploads(() => undefined);
    uploads.add([file('a.log'), file('b.log')], 'auto');
    FakeRequest.made[0]!.onerror!();
    expect(uploads.snapshot()[1]!.error).toMatch(/connection ended/);
    expect(FakeRequest.made).toHaveLength(2);
  });
});
