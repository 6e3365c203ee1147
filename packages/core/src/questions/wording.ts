import type { Understood } from './understand.js';

const WRONG = { failed: 'fail', refused: 'are refused', slow: 'are slow' } as const;

/** What is computed for a question, in words: "which port has the largest share of requests that fail; since yesterday". */
export function readingText(understood: Understood): string {
  const { terms, job, operation, service, time } = understood;
  const of = [
    ...(operation !== undefined ? [`of ${operation}`] : []),
    ...(service !== undefined &&
    operation === undefined &&
    !terms.some((term) => term.startsWith('service ='))
      ? [`of ${service}`]
      : []),
    ...(job !== undefined ? [`of ${job}`] : []),
    ...(terms.length > 0 ? [`with ${terms.join(' and ')}`] : []),
  ];
  const anywhere = understood.asks === 'first' || understood.asks === 'last';
  const when = time ?? (anywhere ? 'in all that is held' : 'in the focus');
  return [[what(understood), ...of].join(' '), when].join('; ');
}

function what({ asks, of, by, wrong = 'failed' }: Understood): string {
  const things = of === 'records' ? 'lines' : of;
  switch (asks) {
    case 'which go wrong':
      return `which ${by ?? (of === 'runs' ? 'job' : 'operation')} has the largest share of ${things} that ${WRONG[wrong]}`;
    case 'which are most':
      return `which ${by ?? 'service'} has most ${things}`;
    case 'how many':
      return `how many ${things} there are`;
    case 'first':
      return `the first of the ${things}`;
    case 'last':
      return `the last of the ${things}`;
    case 'moved':
      return 'what left its normal range, in the order in which it began';
    case 'changed':
      return 'what was changed';
    case 'new':
      return 'kinds of lines that are new';
    case 'apart':
      return `what tells the ${things} apart that ${WRONG[wrong]}`;
    case 'why':
      return `what may be the cause of ${things} that ${WRONG[wrong]}`;
    case 'slowest':
      return 'which operations take longest';
    case 'stuck':
      return 'which runs are stuck';
    case 'show':
      return `the ${things}`;
  }
}

/** The steps after the filter, where a table of lines answers it. */
export const stepsOf = ({ asks, of, by = 'service' }: Understood): string =>
  asks === 'which are most' && of === 'records' ? `count by ${by} then sort count desc` : '';

/** A question as an expression: a filter, with steps where a table of lines answers it. */
export function expressionOf(understood: Understood): string {
  const steps = stepsOf(understood);
  const filter = understood.terms.join(' and ');
  return steps === '' ? filter : `${filter} then ${steps}`.trim();
}
