import { episodeOfChange } from '../life/changes.js';
import { Fleet } from '../fleet.js';
import { HOUR, MINUTE } from '../world/clock.js';
import { addSignals, noSignals, type Signals, type Span } from '../world/signals.js';
import { fastInstance } from './fast-clock.js';
import { type EpisodeId, EPISODES, placed, type Placements, usualPlacements } from './placement.js';

const ANCHOR = Date.UTC(2026, 2, 5, 4);
const START = ANCHOR - 30 * HOUR;

/** What a fleet sends in a stretch of time. */
function told(episodes: Placements, from: number, minutes: number, seed = 'test'): Signals {
  const fleet = new Fleet({ seed, anchor: ANCHOR, scale: 3, episodes: structuredClone(episodes) });
  const all = noSignals();
  for (let minute = 0; minute < minutes; minute++) addSignals(all, fleet.minute(from + minute * MINUTE));
  return all;
}

/** The same stretch with an episode, and without it. */
function both(id: EpisodeId, minutes: number, from = START): { ill: Signals; well: Signals } {
  return { ill: told({ [id]: placed(id, from) }, from, minutes), well: told({}, from, minutes) };
}

const saying = ({ lines }: Signals, part: string): number =>
  lines.filter(({ text }) => text.includes(part)).length;
const servers = ({ spans }: Signals, service: string): Span[] =>
  spans.filter(({ from, kind }) => kind === 'server' && from.service === service);
const measuredIn = ({ measurements }: Signals, metric: string): number[] =>
  measurements.filter((one) => one.metric === metric).map(({ value }) => value!);
const largest = (values: readonly number[]): number =>
  values.reduce((most, one) => Math.max(most, one), -Infinity);
const mean = (values: readonly number[]): number =>
  values.reduce((sum, value) => sum + value, 0) / values.length;
const median = (values: readonly number[]): number => [...values].sort((a, b) => a - b)[values.length >> 1]!;

describe('each episode moves what it should, and nothing is left of it when it is off', () => {
  it('E1: the lease store first, then refusals on two routes', () => {
    const { ill, well } = both('E1', 40);
    expect(mean(measuredIn(ill, 'store.operations'))).toBeGreaterThan(
      3 * mean(measuredIn(well, 'store.operations')),
    );
    expect(saying(ill, 'rejected, lease lost')).toBeGreaterThan(10);
    expect(saying(well, 'rejected, lease lost')).toBe(0);
    expect(ill.changes.some(({ data }) => data.key === 'lease_time' && data.to === '3s')).toBe(true);
    const failed = servers(ill, 'gate-edge').filter(
      ({ attributes }) => attributes['http.response.status_code'] === 503,
    );
    const routes = new Set(failed.map(({ attributes }) => attributes['http.route']));
    expect(routes).toEqual(new Set(['/v1/boardings', '/v1/sailings/*/plan']));
  });

  it('E2: runs of two ports fail in one step, half of them only in part', () => {
    const { ill, well } = both('E2', 6 * 60);
    const ended = (signals: Signals): string[] =>
      signals.runs
        .filter(({ type, facets }) => type === 'FAIL' || 'errorMessage' in facets)
        .map(({ runId }) => runId.split('-').slice(2).join('-'));
    expect(new Set(ended(ill))).toEqual(new Set(['brannay', 'osprey-rock']));
    expect(ended(well)).toEqual([]);
    expect(saying(ill, 'Glyphs.java:118')).toBe(ended(ill).length);
    // Often, but not always.
    const runs = ill.runs.filter(
      ({ runId, facets }) => /brannay|osprey/.test(runId) && 'flail_parameters' in facets,
    );
    expect(ended(ill).length).toBeGreaterThan(runs.length * 0.3);
    expect(ended(ill).length).toBeLessThan(runs.length * 0.8);
    const parts = ill.runs.filter(
      ({ facets }) => (facets.flail_state as { state?: string } | undefined)?.state === 'done with errors',
    );
    expect(parts.length).toBeGreaterThan(0);
    expect(parts.length).toBeLessThan(ended(ill).length);
  });

  it('E3: one class of vessel is slow by many short reads, and nothing fails', () => {
    const { ill, well } = both('E3', 30);
    const took = (signals: Signals, vessel: string): number =>
      median(
        servers(signals, 'sailing-planner')
          .filter(({ attributes }) => attributes.vessel_class === vessel)
          .map((span) => span.took),
      );
    expect(took(ill, 'catamaran')).toBeGreaterThan(1500);
    expect(took(well, 'catamaran')).toBeLessThan(200);
    const reads = ill.spans.filter(({ attributes }) =>
      String(attributes['db.query.text']).includes('hull_tiles'),
    );
    expect(mean(reads.map((span) => span.took))).toBeLessThan(30);
    expect(ill.spans.filter(({ failure }) => failure !== undefined).length).toBeLessThan(12);
  });

  it('E4: one of six instances refuses fresh passes, since its clock runs fast', () => {
    const { ill, well } = both('E4', 50);
    const refused = ill.lines.filter(({ text }) => text.includes('not valid yet'));
    expect(refused.length).toBeGreaterThan(5);
    expect(new Set(refused.map(({ from }) => from.name))).toEqual(new Set([fastInstance().name]));
    expect(saying(well, 'not valid yet')).toBe(0);
    expect(largest(measuredIn(ill, 'system.clock.offset'))).toBeGreaterThan(40);
    expect(mean(measuredIn(ill, 'system.clock.offset'))).toBeLessThan(2);
    expect(largest(measuredIn(well, 'system.clock.offset'))).toBeLessThan(0.1);
  });

  it('E5: pricing waits while the settlement runs, before anything that is recorded', () => {
    const from = Math.floor(START / HOUR) * HOUR;
    const { ill, well } = both('E5', 60, from);
    const quotes = (signals: Signals, during: boolean): number[] =>
      servers(signals, 'fare-quoter')
        .filter(({ at }) => at - from > 12.2 * MINUTE && at - from < 15.9 * MINUTE === during)
        .map((span) => span.took);
    expect(median(quotes(ill, true))).toBeGreaterThan(800);
    expect(quotes(well, true).every((took) => took < 400)).toBe(true);
    const slow = servers(ill, 'fare-quoter').find(({ took }) => took > 800)!;
    const first = Math.min(...ill.spans.filter(({ parent }) => parent === slow.id).map(({ at }) => at));
    expect(first - slow.at).toBeGreaterThan(700);
    expect(slow.failure).toBeUndefined();
  });

  it('E6: a run never leaves starting, and only its own log says why', () => {
    const { ill, well } = both('E6', 90);
    const stuck = ill.lines.filter(({ text }) => text.includes('import.lock is held by run'));
    expect(stuck).toHaveLength(1);
    const id = /\brun=(\S+)/.exec(stuck[0]!.text)![1]!;
    const states = ill.runs.filter(({ runId }) => runId === id).map(({ facets }) => facets.flail_state);
    expect(states).toEqual([{ state: 'waiting', trigger: 'schedule' }, { state: 'starting' }]);
    expect(saying(well, 'import.lock')).toBe(0);
    const end = START + 60 * MINUTE;
    const stopped = told({ E6: { start: START, end, strength: 1 } }, START, 90);
    expect(stopped.runs.filter(({ runId }) => runId === id).at(-1)).toMatchObject({ type: 'ABORT', at: end });
    expect(
      stopped.runs.some(({ at, type, job }) => at > end && job === 'tide-import' && type === 'COMPLETE'),
    ).toBe(true);
  });

  it('E7: notices are tried again and again until the database has no session left', () => {
    const { ill, well } = both('E7', 80);
    const limit = ill.lines.find(({ text }) => text.includes('session refused'))!;
    const first = ill.lines.find(({ text }) => text.includes('451 try later'))!;
    // The warnings begin about half an hour before the limit.
    expect(limit.at - first.at).toBeGreaterThan(20 * MINUTE);
    expect(limit.at - first.at).toBeLessThan(40 * MINUTE);
    expect(largest(measuredIn(ill, 'db.sessions.active'))).toBe(200);
    expect(largest(measuredIn(well, 'db.sessions.active'))).toBeLessThan(120);
    expect(saying(well, 'session refused')).toBe(0);
  });

  it('E8: one line, and sailings from two berths are refused', () => {
    const { ill, well } = both('E8', 60);
    const calibrated = ill.lines.filter(({ text }) => text.includes('calibration applied'));
    expect(calibrated).toHaveLength(1);
    const refused = ill.lines.filter(({ text }) => text.includes('too shallow'));
    const berths = refused.flatMap(({ text }) => /berth (\S+) too/.exec(text)?.[1] ?? []);
    expect(new Set(berths)).toEqual(new Set(['skerry/1', 'skerry/2']));
    expect(calibrated[0]!.text).toContain('skerry/1,skerry/2');
    expect(refused[0]!.at).toBeGreaterThan(calibrated[0]!.at);
    expect(saying(well, 'too shallow')).toBe(0);
  });

  it.each(['E1', 'E4', 'E7'] as const)('%s goes back when its cause is taken away', (id) => {
    const fleet = new Fleet({
      seed: 'test',
      anchor: ANCHOR,
      scale: 3,
      episodes: { [id]: placed(id, START) },
    });
    for (let minute = 0; minute < 30; minute++) fleet.minute(START + minute * MINUTE);
    const reverted = START + 30 * MINUTE;
    expect(fleet.revert(id, reverted)).toBe(true);
    expect(fleet.revert(id, reverted)).toBe(false);
    const after = noSignals();
    for (let minute = 50; minute < 80; minute++) addSignals(after, fleet.minute(START + minute * MINUTE));
    expect(
      saying(after, 'lease lost') + saying(after, 'not valid yet') + saying(after, 'session refused'),
    ).toBe(0);
  });

  it.each([
    ['E1', '3s', '30s'],
    ['E2', '4.2.0', '4.1.3'],
    ['E3', '2.9.4', '2.9.3'],
  ] as const)('%s: that its change is taken back is a change too', (id, from, to) => {
    const fleet = new Fleet({ seed: 'test', anchor: ANCHOR, episodes: { [id]: placed(id, START) } });
    const [made] = fleet.minute(START).changes.filter(({ data }) => data.from === to);
    const reverted = START + MINUTE;
    fleet.revert(id, reverted);
    const [back] = fleet.minute(reverted).changes.filter(({ data }) => data.from === from);
    expect(back).toMatchObject({ at: reverted, data: { service: made!.data.service, to } });
    expect([episodeOfChange(made!.id), episodeOfChange(back!.id)]).toEqual([
      id,
      id === 'E1' ? id : undefined,
    ]);
  });

  it('are told of in truth, and are those of the demo where nothing else is said', () => {
    const truth = new Fleet({ seed: 'test', anchor: ANCHOR }).truth() as {
      episodes: { id: string; start: string }[];
    };
    expect(truth.episodes.map(({ id }) => id)).toEqual([...EPISODES]);
    expect(truth.episodes[0]!.start).toBe(new Date(usualPlacements(ANCHOR).E1!.start).toISOString());
  });
});

describe('one request', () => {
  const all = told({}, START, 10);

  it('says the same in lines, spans and measurements', () => {
    const roots = all.spans.filter(({ parent }) => parent === undefined);
    expect(roots.length).toBeGreaterThan(20);
    for (const root of roots) {
      const own = all.spans.filter(({ trace }) => trace === root.trace);
      for (const span of own) {
        const parent = own.find(({ id }) => id === span.parent);
        expect(parent === undefined).toBe(span === root);
        if (!parent) continue;
        expect(span.at).toBeGreaterThanOrEqual(parent.at);
        // A notice is sent after the answer; whoever asked does not wait.
        const waited = span.from.service !== 'notice-sender' && parent.from.service !== 'notice-sender';
        if (waited) expect(span.at + span.took).toBeLessThanOrEqual(parent.at + parent.took + 0.001);
      }
      const lines = all.lines.filter(({ text }) => text.includes(root.trace));
      for (const line of lines) {
        const span = own.find(({ id }) => line.text.includes(id))!;
        expect(span.from).toBe(line.from);
        expect(line.at).toBeGreaterThanOrEqual(span.at - 0.001);
        expect(line.at).toBeLessThanOrEqual(span.at + span.took + 0.001);
      }
      const access = all.lines.filter(
        ({ from, at }) => from === root.from && Math.abs(at - root.at - root.took) < 0.001,
      );
      expect(
        access.map(({ text }) => text.includes(` ${String(root.attributes['http.response.status_code'])} `)),
      ).toEqual([true]);
    }
  });

  it('is counted, whether or not it is kept', () => {
    const counted = all.measurements
      .filter(({ metric, from }) => metric === 'server.request.duration' && from?.service === 'gate-edge')
      .reduce((sum, { histogram }) => sum + histogram!.count, 0);
    const accessed = all.lines.filter(
      ({ from, text }) => from.service === 'gate-edge' && text.includes('kittiwake-app/'),
    );
    expect(counted).toBe(accessed.length);
    const kept = all.spans.filter(({ parent }) => parent === undefined);
    const estimated = kept.reduce(
      (sum, { attributes }) => sum + (attributes['sampling.one_in'] as number),
      0,
    );
    expect(estimated).toBeGreaterThan(counted * 0.7);
    expect(estimated).toBeLessThan(counted * 1.4);
  });
});
