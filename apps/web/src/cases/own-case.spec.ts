import { isOtherMatter } from './own-case.js';

describe('what is to be investigated', () => {
  const window = { from: '2026-03-02T18:00:00Z', to: '2026-03-02T18:40:00Z' };
  const about = { status: 'open', window, dataset: 'live', job: '' } as const;

  it.each([
    ['the same time, narrowed', about, { window, scope: 'level = error' }, '', false],
    ['a time that goes on', about, { window: { ...window, to: '2026-03-02T20:00:00Z' } }, '', false],
    ['the time right after', about, { window: { from: window.to, to: '2026-03-02T20:00:00Z' } }, '', true],
    ['a time before', about, { window: { from: '2026-03-01T00:00:00Z', to: window.from } }, '', true],
    ['the runs of a job', about, { window }, 'hatch', true],
    ['the runs of the same job', { ...about, job: 'hatch' }, { window }, 'hatch', false],
    ['requests after runs', { ...about, job: 'hatch' }, { window }, '', true],
    ['another data set', about, { window, dataset: 'd2' }, '', true],
    ['what is closed', { ...about, status: 'closed' } as const, { window }, '', true],
    ['something in a case about nothing yet', { ...about, window: undefined }, { window }, 'hatch', false],
  ])('%s: is another matter or not', (_, contents, body, job, is) => {
    expect(isOtherMatter(contents as typeof about, body, job)).toBe(is);
  });
});
