import type { ChangeBody, OnsetsSearchAnswer } from '@flail/contract';
import { byOf, changesFinding, stepOf, textOf } from './changes.js';

const change = (id: string, minute: number, details: unknown = {}): ChangeBody => ({
  id,
  source: '/deploy',
  time: `2026-03-02T18:${String(minute).padStart(2, '0')}:00Z`,
  kind: 'configuration',
  title: `pool ${id}`,
  entity: { service: 'nest' },
  details,
});

describe('a change', () => {
  it('says from what to what, and by whom, where its sender does', () => {
    const told = change('c', 1, { key: 'pool', from: 20, to: '2', by: 'k.dunlin' });
    expect(stepOf(told)).toEqual({ key: 'pool', from: '20', to: '2' });
    expect(byOf(told)).toBe('k.dunlin');
    expect(stepOf(change('c', 1))).toBeUndefined();
    expect(byOf(change('c', 1, 'no object'))).toBe('');
    expect(textOf(told)).toContain('k.dunlin');
  });
});

describe('what is said of changes', () => {
  const onsets = (then?: { group: number; seconds: number }): OnsetsSearchAnswer => ({
    groups: [
      {
        measure: 'queue.depth',
        kind: 'saturation',
        unit: '1',
        service: 'nest',
        side: 'above',
        onset: '',
        within: 60,
        end: '',
        goesOn: true,
        value: 9,
        usual: 1,
        spreads: 9,
        members: [],
        source: { of: 'metric', metric: 'queue.depth' },
      },
    ],
    origins: [{ group: 0, role: 'likely origin', reasons: [] }],
    changes: [{ ...change('c', 3), service: 'nest', ...(then && { then }) }],
    depends: [],
    scanned: 9,
  });
  const focus = { from: Date.parse('2026-03-02T18:00:00Z'), to: Date.parse('2026-03-02T18:10:00Z') };

  it('names the one that stands before what moved', () => {
    expect(changesFinding([change('c', 3)], focus, onsets({ group: 0, seconds: 30 }))).toMatch(
      /^1 change; pool c at \d\d:03 stands nearest before what moved, nest, queue\.depth\.$/,
    );
  });

  it('says that none does, and that there is none', () => {
    expect(changesFinding([change('c', 3)], focus, onsets())).toBe(
      '1 change, 1 of them in the focus, and nothing moved soon after any of them that may have to do with it.',
    );
    expect(changesFinding([], focus, undefined)).toBe('Nothing that was told of was changed in this time.');
  });
});
