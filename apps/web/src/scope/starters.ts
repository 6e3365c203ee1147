import type { SourceSummary } from '@flail/contract';
import { quoteValue } from '@flail/core/expression';

/** A question to begin with, as a scope. */
export interface Starter {
  question: string;
  scope: string;
}

const MOST = 3;

/** Questions that fit what is sent here. */
export function startersFor(sources: readonly SourceSummary[]): Starter[] {
  const logs = sources.filter(({ signal }) => signal === 'logs');
  const starters: Starter[] = [
    { question: 'What went wrong?', scope: 'level >= error' },
    { question: 'What was warned of?', scope: 'level >= warn' },
  ];
  if (logs.some(({ levels }) => (levels.debug ?? 0) > 0))
    starters.push({ question: 'All but debug lines', scope: 'level >= info' });
  if (logs.some(({ format }) => format === 'access'))
    starters.push({ question: 'Which requests were answered with a failure?', scope: 'status >= 500' });
  if (logs.some(({ format }) => format === 'plain'))
    starters.push({ question: 'Which lines carry a stack trace?', scope: 'code.file.path is present' });
  const failing = [...logs]
    .filter(({ levels }) => (levels.error ?? 0) > 0)
    .sort((a, b) => (b.levels.error ?? 0) - (a.levels.error ?? 0));
  for (const { name } of failing.slice(0, MOST))
    starters.push({
      question: `What went wrong in ${name}?`,
      scope: `source = ${quoteValue(name)} and level >= error`,
    });
  return starters;
}
