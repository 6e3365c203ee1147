import { WriteQueue } from './write-queue.js';

describe('the queue of writes', () => {
  it('runs one after another in order, and goes on after a failure', async () => {
    const queue = new WriteQueue();
    const said: string[] = [];
    const write =
      (name: string, fails = false) =>
      async (): Promise<string> => {
        said.push(`${name} begins`);
        await Promise.resolve();
        said.push(`${name} ends`);
        if (fails) throw new Error(name);
        return name;
      };
    const results = await Promise.allSettled([
      queue.run(write('a')),
      queue.run(write('b', true)),
      queue.run(write('c')),
    ]);
    expect(results.map(({ status }) => status)).toEqual(['fulfilled', 'rejected', 'fulfilled']);
    expect(said).toEqual(['a begins', 'a ends', 'b begins', 'b ends', 'c begins', 'c ends']);
    await queue.drained();
  });
});
