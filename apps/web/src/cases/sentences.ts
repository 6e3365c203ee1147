import type { RecoveryAnswer } from '@flail/contract';
import { fullCount, percent } from '../format/numbers.js';
import { dayTime } from '../format/times.js';

/** Whether it has ended, as sure as the test is. */
export function recoveryFinding({ state, since, share, usual, all }: RecoveryAnswer, job = ''): string {
  const told = `${percent(share)} of ${fullCount(all)} ${job === '' ? 'requests failed' : `runs of ${job} went wrong`}`;
  switch (state) {
    case 'recovered':
      return `Recovered since ${dayTime(since!)}: ${told} since then, ${percent(usual)} is usual.`;
    case 'goes on':
      return `It goes on: ${told} of late, ${percent(usual)} is usual.`;
    case 'too early to say':
      return `Too early to say: ${told} in the last minutes, ${percent(usual)} is usual.`;
  }
}
