import type { CaseAnswer, CaseBody, InvestigationAnswer, RecoveryAnswer } from '@flail/contract';
import { TestApp } from '../testing/test-app.js';

const NOW = Date.UTC(2026, 2, 4, 18);
const MINUTE = 60_000;
const iso = (minute: number): string => new Date(NOW + minute * MINUTE).toISOString();

const CLIFFS = ['north', 'south', 'west'];
/** From here on eggs of the west are not turned, until the change is taken back. */
const CHANGED = -1200;
const BACK = -200;

/** A run of a job every ten minutes, cliff after cliff; of those of the west two in three break from the change on. */
function eventsOf(number: number): object[] {
  const minute = -3000 + number * 10;
  const cliff = CLIFFS[number % 3]!;
  const bad = minute >= CHANGED + 5 && minute < BACK;
  const broke = bad && cliff === 'west' && number % 9 !== 2;
  const version = bad ? '2.1' : '2.0';
  const event = (eventType: string, at: number, facets: object = {}): object => ({
    eventType,
    eventTime: iso(at),
    run: {
      runId: `00000000-0000-4000-8000-${String(number).padStart(12, '0')}`,
      facets: {
        flail_entity: { service: 'incubator', instance: 'incubator-1' },
        flail_parameters: { parameters: { cliff, version } },
        ...facets,
      },
    },
    job: { namespace: 'nest', name: 'hatch' },
    producer: 'urn:x',
    schemaURL: 'urn:x',
  });
  const steps = { flail_steps: { steps: [{ name: 'turn', state: broke ? 'failed' : 'done' }] } };
  const error = {
    errorMessage: {
      message: `no axis for egg ${number}`,
      programmingLanguage: 'Java',
      stackTrace: 'TurnError\n\tat java.lang.Thread.run(T.java:1)\n\tat nest.Turner.turn(Turner.java:8)',
    },
  };
  return [
    event('START', minute),
    event(broke ? 'FAIL' : 'COMPLETE', minute + 1, { ...steps, ...(broke && error) }),
  ];
}

describe('an investigation of runs', () => {
  let app: TestApp;
  const asked = {
    window: { from: iso(-900), to: iso(BACK) },
    baseline: { from: iso(-1600), to: iso(-900) },
    job: 'hatch',
  };
  const investigate = async (more: object = {}): Promise<InvestigationAnswer> =>
    (await app.post<InvestigationAnswer>('/api/v1/investigations', { ...asked, ...more })).body;

  beforeAll(async () => {
    app = await TestApp.start();
    await app.take(JSON.stringify({ ts: iso(-1), msg: 'all is well' }), 'source=nest');
    await app.post('/api/v1/intake/runs', Array.from({ length: 300 }, (_, at) => eventsOf(at)).flat());
    await app.post('/api/v1/intake/changes', [
      {
        specversion: '1.0',
        id: 'c1',
        source: '/deploy',
        type: 'org.example.deployment.finished',
        time: iso(CHANGED),
        data: { service: 'incubator', key: 'version', from: '2.0', to: '2.1' },
      },
      {
        specversion: '1.0',
        id: 'c2',
        source: '/deploy',
        type: 'org.example.deployment.finished',
        time: iso(CHANGED + 1),
        data: { service: 'kitchen', from: '7', to: '8' },
      },
    ]);
  });
  afterAll(() => app.end());

  it('tells how many, since when, where they break, and what sets them apart', async () => {
    const { findings, conclusion, timeline } = await investigate();
    const told = new Map(findings.map(({ kind, told }) => [kind, told]));
    expect(told.get('runs')).toMatchObject({ job: 'hatch', withErrors: 0, usual: { wrong: 0 } });
    // The first run of the west after the change, of which one in three goes well.
    const since = Date.parse(String(told.get('runs')!.since));
    expect((since - NOW) / MINUTE).toBeGreaterThanOrEqual(CHANGED + 5);
    expect((since - NOW) / MINUTE).toBeLessThan(CHANGED + 65);
    expect(told.get('spread')).toMatchObject({ field: 'cliff', subset: ['west'], of: 3, carries: 1 });
    expect(told.get('broke')).toMatchObject({ step: 'turn', frame: 'at nest.Turner.turn(Turner.java:8)' });
    expect(told.get('broke')!.count).toBe(told.get('broke')!.of);
    expect(findings.filter(({ kind }) => kind === 'change').map(({ told: { id } }) => id)).toEqual(['c1']);
    const terms = told.get('signature')!.terms as { name: string; values: string[] }[];
    expect(terms.map(({ name, values }) => `${name}=${values.join()}`).sort()).toEqual([
      'cliff=west',
      'version=2.1',
    ]);
    expect(conclusion.causes[0]).toMatchObject({ kind: 'code', certainty: 'likely', change: 'c1' });
    expect(conclusion.causes[0]!.text).toContain('nest.Turner.turn(Turner.java:8)');
    expect(timeline.map(({ stage }) => stage)).toEqual(['before', 'first sign']);
    for (const { address } of findings) expect(address).toMatch(/^\/(?:runs|changes|contrast)\?focus=/);
  });

  it('offers a good time before it began, by which the recovery is told', async () => {
    const { baseline } = await investigate();
    // The baseline that was given lies within the trouble.
    expect(Date.parse(baseline!.to)).toBeLessThan(Date.parse(iso(CHANGED + 65)));
    const { body } = await app.post<RecoveryAnswer>('/api/v1/recovery', { ...asked, baseline });
    expect(body.state).toBe('recovered');
    expect(body.usual).toBe(0);
    const since = (Date.parse(body.since!) - NOW) / MINUTE;
    expect(since).toBeGreaterThan(BACK - 120);
    expect(since).toBeLessThan(BACK + 10);
    expect(body.all).toBeGreaterThanOrEqual(15);
  });

  it('is told in the report, with the share of runs drawn', async () => {
    const made = await app.post<CaseBody>('/api/v1/cases', { name: 'Eggs of the west' });
    const { findings, conclusion, timeline, baseline } = await investigate();
    const contents = {
      ...{ dataset: 'live', scope: '', job: 'hatch', window: asked.window, baseline },
      ...{ findings, conclusion, timeline },
    };
    const kept = await fetch(`${app.url}/api/v1/cases/${made.body.id}`, {
      method: 'PUT',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ contents }),
    });
    expect(((await kept.json()) as CaseAnswer).contents.job).toBe('hatch');
    const html = await (await fetch(`${app.url}/api/v1/cases/${made.body.id}/report?format=html`)).text();
    for (const part of [
      'What, and since when',
      'Share of the runs of hatch that go wrong',
      'runs of hatch went wrong since then',
    ])
      expect(html).toContain(part);
  });

  it('says what is not known where nothing goes wrong, and of a job that nobody ran', async () => {
    const quiet = { window: { from: iso(-2900), to: iso(-2000) }, baseline: undefined };
    const { findings, conclusion } = await investigate(quiet);
    expect(findings.map(({ kind }) => kind).every((kind) => kind === 'nothing')).toBe(true);
    expect(findings[0]!.text).toMatch(/None of \d+ runs of hatch went wrong/);
    expect(conclusion.causes).toEqual([]);
    const none = await investigate({ job: 'fly' });
    expect(none.findings[0]!.text).toContain('No run of fly is recorded in this time.');
    expect(none.baseline).toBeUndefined();
  });
});
