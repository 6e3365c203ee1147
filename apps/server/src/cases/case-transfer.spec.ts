import type {
  CaseAnswer,
  CountAnswer,
  DatasetSummary,
  LogsSearchAnswer,
  OpenedBundle,
  Pin,
  ProblemBody,
  RequestsSearchAnswer,
} from '@flail/contract';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ZipFile } from 'yazl';
import { Archive } from '../bundles/archive.js';
import { TestApp } from '../testing/test-app.js';

const START = Date.UTC(2026, 2, 2, 18);
const moment = (second: number): string => new Date(START + second * 1000).toISOString();
const text = (key: string, value: string) => ({ key, value: { stringValue: value } });
const window = { from: moment(0), to: moment(600) };
const baseline = { from: moment(-600), to: moment(0) };
const PEOPLE = ['j.fulmar', 'k.petrel', 'm.dunlin'];
const ACCOUNTS = ['4711001', '4711002', '4711003'];

describe('a case', () => {
  let elsewhere: TestApp;
  let folder: string;
  /** As it was where it was written. */
  let own: CaseAnswer;
  let counted: CountAnswer;
  let plain: string;
  let redacted: string;
  let refused: { status: number; body: ProblemBody };

  beforeAll(async () => {
    // One after the other: the database's models are of one application in a process.
    const here = await TestApp.start();
    folder = mkdtempSync(join(tmpdir(), 'flail-case-'));
    const lines = Array.from({ length: 300 }, (_, at) =>
      JSON.stringify({
        ts: moment(-300 + 2 * at),
        level: at % 3 === 0 ? 'error' : 'info',
        msg: at % 5 === 0 ? `${PEOPLE[at % 3]!} was turned away` : `boarded ${at}`,
        who: PEOPLE[at % 3],
        account: Number(ACCOUNTS[at % 3]),
      }),
    );
    await here.take(lines.join('\n'), 'source=gate');
    await here.post('/v1/traces', {
      resourceSpans: [
        {
          resource: { attributes: [text('service.name', 'gate')] },
          scopeSpans: [
            {
              spans: ACCOUNTS.map((account, at) => ({
                traceId: String(at + 1).repeat(32),
                spanId: String(at + 1).repeat(16),
                name: 'POST /boardings',
                kind: 2,
                startTimeUnixNano: `${START + 1000 * at}000000`,
                endTimeUnixNano: `${START + 1000 * at + 20}000000`,
                attributes: [text('account', account), text('who', PEOPLE[at]!)],
              })),
            },
          ],
        },
      ],
    });
    const made = await here.post<{ id: number }>('/api/v1/cases', { name: 'Turned away' });
    const { id } = made.body;
    const scope = 'who = j.fulmar';
    await fetch(`${here.url}/api/v1/cases/${id}`, {
      method: 'PUT',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({
        contents: {
          notes: 'It began with **j.fulmar**.',
          window,
          baseline,
          scope,
          findings: [
            {
              kind: 'pattern',
              text: 'j.fulmar was turned away 20 times.',
              address: '/patterns?scope=who+%3D+j.fulmar',
              told: { count: 20 },
            },
          ],
        },
      }),
    });
    await here.post(`/api/v1/cases/${id}/pins`, {
      kind: 'line',
      title: 'j.fulmar was turned away',
      address: '/logs?scope=who+%3D+j.fulmar',
    });
    await here.post(`/api/v1/cases/${id}/pins`, { kind: 'window', title: 'The evening', address: '/logs' });
    own = (await here.get<CaseAnswer>(`/api/v1/cases/${id}`)).body;
    counted = (await here.post<CountAnswer>('/api/v1/logs/count', { window, baseline, scope })).body;
    plain = await save(`${here.url}/api/v1/cases/${id}/bundle`, 'plain.zip');
    redacted = await save(`${here.url}/api/v1/cases/${id}/bundle?redact=who&redact=account`, 'redacted.zip');
    const empty = await here.post<{ id: number }>('/api/v1/cases', { name: 'Nothing yet' });
    refused = await here.get<ProblemBody>(`/api/v1/cases/${empty.body.id}/bundle`);
    await here.end();
    elsewhere = await TestApp.start();
  });
  afterAll(async () => {
    await elsewhere.end();
    rmSync(folder, { recursive: true, force: true });
  });

  const save = async (url: string, name: string): Promise<string> => {
    const response = await fetch(url);
    expect(response.status).toBe(200);
    const path = join(folder, name);
    writeFileSync(path, Buffer.from(await response.arrayBuffer()));
    return path;
  };
  const open = async (path: string): Promise<OpenedBundle> => {
    const response = await fetch(`${elsewhere.url}/api/v1/datasets`, {
      method: 'POST',
      headers: { 'content-type': 'application/zip' },
      body: readFileSync(path),
    });
    expect(response.status).toBe(201);
    return (await response.json()) as OpenedBundle;
  };

  it('opens in another installation, and shows the same there', async () => {
    const opened = await open(plain);
    expect(opened.case).toMatchObject({ name: 'Turned away' });
    const { body: other } = await elsewhere.get<CaseAnswer>(`/api/v1/cases/${opened.case!.id}`);
    expect({ ...other.contents, dataset: '', findings: [] }).toEqual({
      ...own.contents,
      dataset: '',
      findings: [],
    });
    expect(other.contents.dataset).toBe(opened.dataset);
    expect(other.contents.findings[0]!.address).toContain(`data=${opened.dataset}`);
    const { body: pins } = await elsewhere.get<Pin[]>(`/api/v1/cases/${opened.case!.id}/pins`);
    expect(pins.map(({ title }) => title)).toEqual(['The evening', 'j.fulmar was turned away']);
    const asked = { window, baseline, scope: own.contents.scope };
    const { body } = await elsewhere.post<CountAnswer>('/api/v1/logs/count', {
      ...asked,
      dataset: opened.dataset,
    });
    expect(body.focus).toBe(counted.focus);
    expect(counted.focus).toBeGreaterThan(10);
  });

  it('leaves nothing behind of what is redacted, and still tells what belongs together', async () => {
    const archive = await Archive.open(redacted);
    for (const file of archive.files) {
      const content = await archive.text(file, 64 * 1024 ** 2);
      for (const value of [...PEOPLE, ...ACCOUNTS]) expect(`${file}: ${content}`).not.toContain(value);
    }
    archive.close();
    const opened = await open(redacted);
    const dataset = opened.dataset;
    const { body: lines } = await elsewhere.post<LogsSearchAnswer>('/api/v1/logs/search', {
      window,
      dataset,
      limit: 200,
    });
    const people = new Set(lines.records.map(({ fields }) => fields.who));
    expect(people.size).toBe(3);
    for (const who of people) expect(who).toMatch(/^who-[\da-f]{8}$/);
    // A number is still one, and stands with the same person everywhere.
    const pairs = new Set(lines.records.map(({ fields }) => `${fields.who} ${fields.account}`));
    expect(pairs.size).toBe(3);
    for (const { fields } of lines.records) expect(fields.account).toMatch(/^9\d{6}$/);
    const { body: requests } = await elsewhere.post<RequestsSearchAnswer>('/api/v1/requests/search', {
      window,
      dataset,
    });
    for (const { fields } of requests.requests)
      expect(pairs.has(`${fields.who} ${fields.account}`)).toBe(true);
    const { body: other } = await elsewhere.get<CaseAnswer>(`/api/v1/cases/${opened.case!.id}`);
    expect(other.contents.notes).toMatch(/^It began with \*\*who-[\da-f]{8}\*\*\.$/);
  });

  it('that is about no time yet is not carried, with the reason', () => {
    expect([refused.status, refused.body.code]).toEqual([400, 'no-window']);
  });

  it('that can not be read is refused, and nothing of its bundle is kept', async () => {
    const zip = new ZipFile();
    const manifest = { flail: 1, name: 'Odd', made: moment(0), records: [] };
    zip.addBuffer(Buffer.from(JSON.stringify(manifest)), 'manifest.json');
    zip.addBuffer(Buffer.from('{"time":"2026-03-02T18:00:00Z","what":"a line"}\n'), 'gate.log');
    zip.addBuffer(Buffer.from('{"name":"Odd","contents":{"scope":5}}'), 'case.json');
    zip.end();
    const chunks: Buffer[] = [];
    for await (const chunk of zip.outputStream) chunks.push(chunk as Buffer);
    const before = (await elsewhere.get<DatasetSummary[]>('/api/v1/datasets')).body.length;
    const response = await fetch(`${elsewhere.url}/api/v1/datasets`, {
      method: 'POST',
      headers: { 'content-type': 'application/zip' },
      body: Buffer.concat(chunks),
    });
    expect(response.status).toBe(400);
    expect(((await response.json()) as ProblemBody).code).toBe('case');
    expect((await elsewhere.get<DatasetSummary[]>('/api/v1/datasets')).body).toHaveLength(before);
  });
});
