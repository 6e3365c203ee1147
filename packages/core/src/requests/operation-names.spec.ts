import { OperationNames } from './operation-names.js';

describe('names of operations', () => {
  const of = (name: string): string => new OperationNames().of('proxy', name);

  it.each([
    ['GET /account/17/orders/a3f09b2277aa', 'GET /account/*/orders/*'],
    ['GET http://10.0.0.7:8080/x?id=99&page=2', 'GET http://*:*/x?id=*&page=*'],
    ['GET /v1/x/*', 'GET /v1/x/*'],
    ['POST /api/v2/items', 'POST /api/v2/items'],
    ['GET /u/9b1deb4d-3b7d-4bad-9bdd-2b0d7b3dcb6d/', 'GET /u/*/'],
    ['/', '/'],
    ['', ''],
    ['SELECT order 10023', 'SELECT order *'],
    ['send mail to a.b@example.org', 'send mail to *'],
    ['us-east-1 http2 sync', 'us-east-1 http2 sync'],
    ['lock acquire', 'lock acquire'],
  ])('%j is of %j', (name, template) => expect(of(name)).toBe(template));

  it('take a place of too many different words for a value, from then on, and no other place', () => {
    const names = new OperationNames();
    const word = (index: number): string =>
      `${'abcdefghij'[index % 10]}${'klmnopqrst'[Math.floor(index / 10)]}x`;
    const all = Array.from({ length: 90 }, (_, index) => `GET /users/${word(index)}/photo`);
    names.learn(all.map((name) => ['web', name] as const));
    expect(new Set(all.map((name) => names.of('web', name)))).toEqual(new Set(['GET /users/*/photo']));
    expect(names.of('web', 'GET /users/new/photo')).toBe('GET /users/*/photo');
    expect(names.of('web', 'GET /health')).toBe('GET /health');
    // What is learnt of one service says nothing of another.
    expect(names.of('api', 'GET /users/akx/photo')).toBe('GET /users/akx/photo');
    const few = new OperationNames();
    few.learn(all.slice(0, 30).map((name) => ['web', name] as const));
    expect(few.of('web', all[3]!)).toBe(all[3]);
  });

  it('are bounded, however many come', () => {
    const names = new OperationNames();
    const templates = new Set<string>();
    for (let index = 0; index < 30_000; index++) {
      const letters = index.toString(26).replace(/\d/g, (digit) => 'qrstuvwxyz'[Number(digit)]!);
      templates.add(names.of('web', `do ${letters} with ${letters}s now`));
    }
    expect(templates.size).toBeLessThan(2000);
    expect(names.of('web', `${'a/'.repeat(5000)}end`).length).toBeLessThan(200);
  });
});
