import type { CaseBody, Pin, ProblemBody, SavedExpression } from '@flail/contract';
import { TestApp } from '../testing/test-app.js';

describe('kept work', () => {
  let app: TestApp;
  beforeAll(async () => {
    app = await TestApp.start();
  });
  afterAll(() => app.end());

  const send = async <T>(
    method: string,
    path: string,
    body?: object,
  ): Promise<{ status: number; body: T }> => {
    const response = await fetch(`${app.url}/api/v1/${path}`, {
      method,
      headers: { 'content-type': 'application/json' },
      ...(body && { body: JSON.stringify(body) }),
    });
    const text = await response.text();
    return { status: response.status, body: (text === '' ? undefined : JSON.parse(text)) as T };
  };

  it('a case is there from the first, and keeps pins with the view that shows them', async () => {
    const [untitled] = (await send<CaseBody[]>('GET', 'cases')).body;
    expect(untitled).toMatchObject({ name: 'Untitled', pins: 0 });
    const path = `cases/${untitled!.id}`;
    const address = '/logs?focus=a~b&scope=level%20%3D%20error&record=7';
    const line = { kind: 'line', title: 'token rejected', address, seen: { text: 'token 1 rejected' } };
    const first = (await send<Pin>('POST', `${path}/pins`, line)).body;
    await send('POST', `${path}/pins`, { kind: 'window', title: 'Thu 18:00', address: '/patterns' });
    const pins = (await send<Pin[]>('GET', `${path}/pins`)).body;
    expect(pins.map(({ title }) => title)).toEqual(['Thu 18:00', 'token rejected']);
    expect(pins[1]).toMatchObject({ address, note: '', seen: { text: 'token 1 rejected' } });
    await send('PUT', `${path}/pins/${first.id}`, { note: 'the rare one' });
    await send('PUT', path, { name: 'Berth leases' });
    expect((await send('DELETE', `${path}/pins/${pins[0]!.id}`)).status).toBe(204);
    expect((await send<Pin[]>('GET', `${path}/pins`)).body).toMatchObject([{ note: 'the rare one' }]);
    expect((await send<CaseBody[]>('GET', 'cases')).body).toMatchObject([{ name: 'Berth leases', pins: 1 }]);
    await send('POST', 'cases', { name: 'Another' });
    expect((await send<CaseBody[]>('GET', 'cases')).body[0]).toMatchObject({ name: 'Another', pins: 0 });
  });

  it('pins lead nowhere but into this program', async () => {
    for (const address of ['https://example.org/', '//example.org/', 'javascript:alert(1)'])
      expect((await send('POST', 'cases/1/pins', { kind: 'line', title: 'x', address })).status).toBe(400);
    expect((await send<ProblemBody>('GET', 'cases/99/pins')).body.code).toBe('no-such-case');
    expect((await send<ProblemBody>('DELETE', 'cases/1/pins/99')).body.code).toBe('no-such-pin');
  });

  it('expressions are kept, changed and let go of; what can not be read is refused', async () => {
    const body = { name: 'Lost leases', expression: '"lease lost" then count every 1m' };
    const kept = (await send<SavedExpression>('POST', 'expressions', body)).body;
    expect(kept).toMatchObject({ ...body, shared: false, owner: 'operator' });
    const refused = await send<ProblemBody>('POST', 'expressions', { name: 'x', expression: 'level >' });
    expect(refused.body).toMatchObject({ code: 'expression', position: { from: 7, to: 7 } });
    await send('PUT', `expressions/${kept.id}`, { ...body, name: 'Leases', shared: true });
    expect((await send<SavedExpression[]>('GET', 'expressions')).body).toMatchObject([
      { name: 'Leases', shared: true },
    ]);
    expect((await send('DELETE', `expressions/${kept.id}`)).status).toBe(204);
    expect((await send('DELETE', `expressions/${kept.id}`)).status).toBe(404);
    expect((await send<SavedExpression[]>('GET', 'expressions')).body).toEqual([]);
  });
});
