import { answeringChanges, type Setting } from './answers.js';

const MINUTE = 60e6;
const change = (id: string, minute: number, more: Partial<Setting> = {}): Setting => ({
  id,
  at: minute * MINUTE,
  kind: 'configuration',
  service: 'crane',
  title: `title of ${id}`,
  details: { key: 'reach', from: '30 m', to: '3 m' },
  ...more,
});
const rollout = (id: string, minute: number, from: string, to: string): Setting =>
  change(id, minute, { kind: 'deployment', details: { key: 'version', from, to } });

describe('changes that are about earlier ones', () => {
  const cut = change('cut', 0);

  it('set back what was set, whatever was set in between', () => {
    const later = [
      change('further', 10, { details: { key: 'reach', from: '3 m', to: '9 m' } }),
      change('back', 20, { details: { key: 'reach', from: '9 m', to: '30 m' } }),
    ];
    expect(answeringChanges([cut], later)).toEqual([
      { id: 'further', how: 'changes further', earlier: 'title of cut' },
      { id: 'back', how: 'takes back', earlier: 'title of cut' },
    ]);
  });

  it('are not those of other settings, of other services, or made before', () => {
    const others = [
      change('other key', 10, { details: { key: 'swing', from: '3 m', to: '30 m' } }),
      change('other service', 10, { service: 'ramp', details: { key: 'reach', from: '3 m', to: '30 m' } }),
      change('before', -10, { details: { key: 'reach', from: '3 m', to: '30 m' } }),
    ];
    expect(answeringChanges([cut], others)).toEqual([]);
  });

  it('are not routine rollouts, unless they go back to what was, or it recovered shortly after', () => {
    const bad = rollout('bad', 0, '1.4.0', '1.5.0');
    const later = [
      rollout('routine', 60, '1.5.0', '1.6.0'),
      rollout('fix', 120, '1.6.0', '1.6.1'),
      rollout('later', 200, '1.6.1', '1.7.0'),
    ];
    expect(answeringChanges([bad], later)).toEqual([]);
    expect(answeringChanges([bad], later, 130 * MINUTE)).toEqual([{ id: 'fix', how: 'before the recovery' }]);
    expect(answeringChanges([bad], [rollout('back', 30, '1.5.0', '1.4.0')])).toEqual([
      { id: 'back', how: 'takes back', earlier: 'title of bad' },
    ]);
  });

  it('take back nothing where an event does not tell from what', () => {
    const untold = change('untold', 0, { kind: 'deployment', details: { to: '2' } });
    const alike = change('alike', 5, { kind: 'deployment', details: {} });
    expect(
      answeringChanges([untold], [alike, change('null', 6, { kind: 'deployment', details: null })]),
    ).toEqual([]);
  });
});
