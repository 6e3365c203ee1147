import fc from 'fast-check';
import { CHANGE_KINDS, changeOf, NoChangeError } from './cloud-events.js';

const event = {
  specversion: '1.0',
  id: 'c-1',
  source: '/control',
  type: 'org.example.configuration.changed',
  time: '2026-03-02T18:00:00.250Z',
  data: { service: 'gull', key: 'wings', from: '2', to: '1', by: 'm.auk' },
};

describe('a change', () => {
  it('says what, where, from what to what', () => {
    expect(changeOf(event, 7)).toEqual({
      source: '/control',
      id: 'c-1',
      at: Date.parse(event.time) * 1000,
      kind: 'configuration',
      title: 'configuration wings of gull: 2 → 1',
      entity: { service: 'gull' },
      body: event,
    });
  });

  it.each([
    ['com.x.deployment.finished', 'deployment'],
    ['rollout', 'deployment'],
    ['org.replicas.changed', 'scaling'],
    ['process.restarted', 'restart'],
    ['readiness.failed', 'readiness'],
    ['host.timesync.stopped', 'time sync'],
    ['weather', 'other'],
  ])('of type %s is one of kind %s', (type, kind) => {
    expect(CHANGE_KINDS).toContain(kind);
    expect(changeOf({ ...event, type }, 7).kind).toBe(kind);
  });

  it('has its title and place from where it tells them', () => {
    expect(changeOf({ ...event, data: { title: 'new wings' } }, 7).title).toBe('new wings');
    const { data, ...bare } = event;
    expect(data).toBeDefined();
    expect(changeOf({ ...bare, subject: 'hosts/nest-1' }, 7).entity).toEqual({ host: 'nest-1' });
    expect(changeOf({ ...bare, subject: 'gull' }, 7).entity).toEqual({ service: 'gull' });
    expect(changeOf({ ...bare, type: 'x' }, 7)).toMatchObject({ entity: {}, title: 'x' });
  });

  it('without a time happened when it came', () => {
    const { time, ...timeless } = event;
    expect(time).toBeDefined();
    expect(changeOf(timeless, 7).at).toBe(7);
  });

  it.each([
    ['a text', 'is an object'],
    [{ ...event, specversion: '0.3' }, 'specversion'],
    [{ ...event, id: '' }, '"id"'],
    [{ ...event, source: undefined }, '"source"'],
    [{ ...event, type: 5 }, '"type"'],
    [{ ...event, time: 'today' }, '"time"'],
    [{ ...event, time: '2026-03-02T18:00:00' }, '"time"'],
  ])('is not %j', (bad, why) => {
    expect(() => changeOf(bad, 7)).toThrow(NoChangeError);
    expect(() => changeOf(bad, 7)).toThrow(why);
  });

  it('is read or refused, but never breaks', () => {
    fc.assert(
      fc.property(fc.jsonValue(), fc.jsonValue(), (data, subject) => {
        expect(typeof changeOf({ ...event, data, subject }, 7).title).toBe('string');
      }),
    );
  });
});
