import { DAY, demandAt, HOUR, isoTime, simulatedTime } from './clock.js';
import { INSTANCES, SERVICES } from './company.js';
import { access, say } from './line.js';
import { Random } from './random.js';

const ANCHOR = Date.UTC(2026, 2, 5, 4);
const AT = Date.UTC(2026, 2, 2, 18, 0, 0, 250);
const one = (service: string) => INSTANCES.get(service)![0]!;

describe('the simulated day', () => {
  it('has a sailing peak that began about an hour before the anchor, at whatever hour that is', () => {
    for (const anchor of [ANCHOR, ANCHOR + 7 * HOUR, ANCHOR + 15 * HOUR]) {
      expect(simulatedTime(anchor, anchor).hour).toBe(18);
      expect(demandAt(anchor, anchor)).toBeGreaterThan(2 * demandAt(anchor - 4 * HOUR, anchor));
    }
  });

  it('has two peaks a day, a quiet night, and a larger day a week', () => {
    const hours = Array.from({ length: 24 }, (_, hour) => demandAt(ANCHOR - 2 * DAY - hour * HOUR, ANCHOR));
    const peaks = hours.filter(
      (demand, hour) => demand > hours[(hour + 23) % 24]! && demand > hours[(hour + 1) % 24]! && demand > 1.2,
    );
    expect(peaks).toHaveLength(2);
    expect(Math.min(...hours)).toBeLessThan(0.4);
    expect(demandAt(ANCHOR, ANCHOR)).toBeGreaterThan(1.2 * demandAt(ANCHOR - DAY, ANCHOR));
  });
});

it('moments are told in milliseconds, whichever was told before', () => {
  for (const at of [AT, AT + 0.9, AT - 1, 0, AT + DAY, AT + 59_749, AT + 59_750.4])
    expect(isoTime(at)).toBe(new Date(at).toISOString());
});

describe('lines', () => {
  it('are written in the manner of their service', () => {
    expect(JSON.parse(say(one('boarding-api'), AT, 'WARN', 'x', { n: 1 }).text)).toMatchObject({
      ts: '2026-03-02T18:00:00.250Z',
      level: 'warn',
      service: 'boarding-api',
      instance: 'boarding-api-1',
      msg: 'x',
      n: 1,
    });
    expect(say(one('berth-allocator'), AT, 'INFO', 'a "b"', { k: 'v' }).text).toBe(
      'ts=2026-03-02T18:00:00.250Z level=info instance=berth-allocator-1 msg="a \\"b\\"" k=v',
    );
    expect(say(one('ledger-db'), AT, 'ERROR', 'head\n\tat x', { n: 2 }).text).toBe(
      '2026-03-02 18:00:00,250 ERROR [ledger-db] head n=2\n\tat x',
    );
    expect(
      access(one('gate-edge'), AT, {
        method: 'GET',
        path: '/a',
        status: 200,
        bytes: 5,
        client: '10.0.0.1',
        agent: 'x',
      }).text,
    ).toBe('10.0.0.1 - - [02/Mar/2026:18:00:00 +0000] "GET /a HTTP/1.1" 200 5 "-" "x"');
    expect(() => say(one('gate-edge'), AT, 'INFO', 'x')).toThrow('access lines only');
  });

  it('come from instances on hosts of their site', () => {
    for (const { name, instances } of SERVICES) {
      const own = INSTANCES.get(name)!;
      expect(own).toHaveLength(instances);
      for (const { host, site } of own)
        expect(host).toMatch(site === 'north-quay' ? /^nq-0[1-6]$/ : /^sq-0[1-6]$/);
    }
  });
});

describe('chance', () => {
  it('depends on the seed and the purpose, not on what was drawn before', () => {
    const first = new Random('s');
    const second = new Random('s');
    for (let index = 0; index < 5; index++) second.unit();
    expect(first.fork('a').whole(1e9)).toBe(second.fork('a').whole(1e9));
    expect(first.fork('a').whole(1e9)).not.toBe(first.fork('b').whole(1e9));
  });

  it('has the means it promises', () => {
    const random = new Random('means');
    const mean = (draw: () => number): number =>
      Array.from({ length: 20_000 }, draw).reduce((sum, value) => sum + value, 0) / 20_000;
    expect(mean(() => random.unit())).toBeCloseTo(0.5, 1);
    expect(mean(() => random.exponential(3))).toBeCloseTo(3, 0);
    expect(mean(() => random.poisson(2.5))).toBeCloseTo(2.5, 0);
    expect(mean(() => random.poisson(90))).toBeGreaterThan(88);
    expect(mean(() => random.poisson(90))).toBeLessThan(92);
    expect(mean(() => random.normal())).toBeCloseTo(0, 1);
    expect(random.hex(19)).toMatch(/^[0-9a-f]{19}$/);
  });
});
