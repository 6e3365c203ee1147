import { foldChanges } from './fold.js';

const change = (id: string, minutes: number, kind: string, service = 'nest') => ({
  id,
  at: minutes * 60e6,
  kind,
  service,
});

describe('changes with what they brought about', () => {
  it('hold the restarts of their service that followed soon', () => {
    expect(
      foldChanges([
        change('r2', 3, 'restart'),
        change('d', 1, 'deployment'),
        change('r1', 2, 'restart'),
        change('other', 2, 'restart', 'edge'),
        change('late', 30, 'restart'),
        change('sync', 3, 'time sync'),
      ]),
    ).toEqual([
      { id: 'd', brought: ['r1', 'r2'] },
      { id: 'other', brought: [] },
      { id: 'sync', brought: [] },
      { id: 'late', brought: [] },
    ]);
  });

  it('stand alone where no service is named', () => {
    expect(foldChanges([change('d', 1, 'deployment', ''), change('r', 2, 'restart', '')])).toHaveLength(2);
  });
});
