import type { ProgressBody } from '@flail/contract';
import { NotWantedError, Progress, watched } from './progress.js';

const soon = (): Promise<void> => new Promise((resolve) => setTimeout(resolve, 5));

/** A task of a thread: tells of each step, and lets others work in between. */
const steps = (total: number, until: () => boolean) => async (shared: SharedArrayBuffer) => {
  const progress = new Progress(shared);
  let done = 0;
  for (; done < total && !until(); done++) {
    progress.tell(done, total);
    await soon();
  }
  return done;
};

describe('the progress of a long task', () => {
  it('is seen by whoever shares it', () => {
    const one = new Progress();
    const other = new Progress(one.shared);
    one.tell(3, 7);
    expect([other.done, other.total]).toEqual([3, 7]);
  });

  it('is told while the task goes on, and no longer', async () => {
    const news: ProgressBody[] = [];
    const done = await watched(
      steps(10_000, () => news.length >= 3),
      (one) => news.push(one),
    );
    expect(done).toBeGreaterThan(0);
    expect(news.every(({ total }) => total === 10_000)).toBe(true);
    const told = news.map((one) => one.done);
    expect(told).toEqual([...told].sort((a, b) => a - b));
    expect(told.at(-1)).toBeLessThanOrEqual(done);
    await new Promise((resolve) => setTimeout(resolve, 400));
    expect(news).toHaveLength(told.length);
  });

  it('ends the task once nobody waits for it', async () => {
    const asker = new AbortController();
    let told = 0;
    const task = watched(
      steps(1_000_000, () => false),
      () => {
        told++;
        asker.abort();
      },
      asker.signal,
    );
    await expect(task).rejects.toThrow(NotWantedError);
    expect(told).toBeGreaterThan(0);
  });

  it('lets what goes wrong through', async () => {
    await expect(watched(() => Promise.reject(new Error('broken')))).rejects.toThrow('broken');
  });
});
