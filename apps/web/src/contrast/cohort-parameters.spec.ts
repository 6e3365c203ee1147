import { cohortParameters, withCohorts } from './cohort-parameters.js';

describe('the cohorts of a view', () => {
  const view = new URLSearchParams('focus=a~b&scope=site+%3D+north&first=slow&second=&side=time&slower=0.5');

  it('are kept without its windows, its scope and what stands beside them', () => {
    expect(cohortParameters(view)).toBe('first=slow&slower=0.5');
    expect(cohortParameters(new URLSearchParams())).toBe('');
  });

  it('take the place of others, where the rest stays', () => {
    const next = withCohorts(view, 'first=failed&secondIn=baseline&scope=evil');
    expect(Object.fromEntries(next)).toEqual({
      focus: 'a~b',
      scope: 'site = north',
      side: 'time',
      first: 'failed',
      secondIn: 'baseline',
    });
  });
});
