import type { ProblemBody, SavedCohorts, SavedExpression } from '@flail/contract';
import { TestApp } from '../testing/test-app.js';

describe('what is kept under a name', () => {
  let app: TestApp;
  beforeAll(async () => {
    app = await TestApp.start();
  });
  afterAll(() => app.end());
  const remove = async (path: string): Promise<number> =>
    (await fetch(`${app.url}/api/v1/${path}`, { method: 'DELETE' })).status;

  it('are expressions and pairs of cohorts, each by itself', async () => {
    const expression = { name: 'lost leases', expression: '"lease lost"', shared: true };
    const cohorts = { name: 'slow plans', parameters: 'first=slow&operation=GET+%2Fv1%2Fplan' };
    const one = (await app.post<SavedExpression>('/api/v1/expressions', expression)).body;
    const two = (await app.post<SavedCohorts>('/api/v1/cohorts', cohorts)).body;
    expect(one).toMatchObject({ ...expression, owner: 'operator' });
    expect(two).toMatchObject({ ...cohorts, shared: false });
    expect((await app.get<SavedExpression[]>('/api/v1/expressions')).body).toEqual([one]);
    expect((await app.get<SavedCohorts[]>('/api/v1/cohorts')).body).toEqual([two]);
    // The id of one kind is none of the other.
    expect(await remove(`cohorts/${one.id}`)).toBe(404);
    expect(await remove(`cohorts/${two.id}`)).toBe(204);
    expect((await app.get<SavedCohorts[]>('/api/v1/cohorts')).body).toEqual([]);
    expect((await app.get<SavedExpression[]>('/api/v1/expressions')).body).toHaveLength(1);
  });

  it('are refused where they can not be used later', async () => {
    const odd = await app.post<ProblemBody>('/api/v1/expressions', { name: 'odd', expression: 'level >' });
    expect(odd.status).toBe(400);
    const nameless = await app.post<ProblemBody>('/api/v1/cohorts', { name: '', parameters: '' });
    expect(nameless.status).toBe(400);
  });
});
