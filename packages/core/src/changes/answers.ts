/** A change as far as it tells what it set. */
export interface Setting {
  id: string;
  /** Microseconds since 1970. */
  at: number;
  kind: string;
  service: string;
  title: string;
  /** What its sender tells: key, from, to. */
  details: unknown;
}

/** A change that seems to be about an earlier one, and how. */
export interface AnsweringChange {
  id: string;
  how: 'takes back' | 'changes further' | 'before the recovery';
  /** What it takes back, or changes further. */
  earlier?: string;
}

/** Microseconds before a recovery in which a change may have brought it. */
const BRINGS = 900e6;

/**
 * Those of later changes that seem to have been made about earlier ones: what sets back what one of them set, what
 * sets the same configuration to something else, and what was done shortly before it recovered. Routine rollouts
 * of the same services are none of them.
 *
 * @param recovered microseconds since 1970
 */
export function answeringChanges(
  earlier: readonly Setting[],
  later: readonly Setting[],
  recovered?: number,
): AnsweringChange[] {
  return later.flatMap(({ id, at, kind, service, details }): AnsweringChange[] => {
    const of = propertyOf({ kind, service, details });
    const same = earlier.filter((one) => one.at < at && propertyOf(one) === of).sort((a, b) => b.at - a.at);
    const undone = same.find(
      (one) => isTold(told(one.details).from) && setsTo(details, told(one.details).from),
    );
    if (undone) return [{ id, how: 'takes back', earlier: undone.title }];
    const [last] = same;
    if (last && kind === 'configuration') return [{ id, how: 'changes further', earlier: last.title }];
    const brings = recovered !== undefined && at <= recovered && recovered - at <= BRINGS;
    return brings ? [{ id, how: 'before the recovery' }] : [];
  });
}

/** What a change is of: a named setting of a service, or else what kind of thing was done to it. */
const propertyOf = ({ kind, service, details }: Pick<Setting, 'kind' | 'service' | 'details'>): string => {
  const { key } = told(details);
  return [service, kind, typeof key === 'string' ? key : ''].join('\n');
};

const told = (details: unknown): { key?: unknown; from?: unknown; to?: unknown } =>
  typeof details === 'object' && details !== null ? details : {};

const isTold = (value: unknown): boolean => value !== undefined && value !== null && value !== '';

const setsTo = (details: unknown, value: unknown): boolean =>
  JSON.stringify(told(details).to) === JSON.stringify(value);
