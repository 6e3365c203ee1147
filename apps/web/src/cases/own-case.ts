import type { CaseContents, ReadBody } from '@flail/contract';

/**
 * Whether what is to be investigated is another matter than a case is about: another time that it does not touch,
 * the runs of another job, another data set, or the case is closed. What was found of one must not be lost to the
 * other. Another scope is still the same matter, looked at more closely.
 */
export function isOtherMatter(
  { status, window, dataset, job }: Pick<CaseContents, 'status' | 'window' | 'dataset' | 'job'>,
  body: ReadBody,
  wantedJob: string,
): boolean {
  if (!window) return false;
  return (
    status === 'closed' ||
    job !== wantedJob ||
    dataset !== (body.dataset ?? 'live') ||
    Date.parse(body.window.from) >= Date.parse(window.to) ||
    Date.parse(body.window.to) <= Date.parse(window.from)
  );
}
