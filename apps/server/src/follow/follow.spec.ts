import type { FollowNews } from '@flail/contract';
import { TestApp } from '../testing/test-app.js';

/** Reads server-sent events until enough records have come. */
async function follow(
  url: string,
  enough: (news: FollowNews[]) => boolean,
  begun: () => Promise<void>,
): Promise<FollowNews[]> {
  const controller = new AbortController();
  const response = await fetch(url, { signal: controller.signal });
  expect(response.headers.get('content-type')).toContain('text/event-stream');
  const news: FollowNews[] = [];
  const sending = begun();
  let rest = '';
  for await (const chunk of response.body!) {
    rest += Buffer.from(chunk as Uint8Array).toString('utf8');
    const events = rest.split('\n\n');
    rest = events.pop()!;
    for (const event of events) {
      const data = event.split('\n').find((one) => one.startsWith('data: '));
      if (data?.startsWith('data: {')) news.push(JSON.parse(data.slice(6)) as FollowNews);
    }
    if (enough(news)) break;
  }
  controller.abort();
  await sending;
  return news;
}

describe('following what comes in', () => {
  let app: TestApp;
  beforeAll(async () => {
    app = await TestApp.start();
  });
  afterAll(() => app.end());

  it('tells of records that match as they are stored, of each once', async () => {
    const send = async (): Promise<void> => {
      for (let batch = 0; batch < 6; batch++)
        await app.take(
          Array.from({ length: 40 }, (_, index) =>
            JSON.stringify({
              ts: new Date().toISOString(),
              level: index % 2 === 0 ? 'error' : 'info',
              msg: `beat ${batch * 40 + index}`,
            }),
          ).join('\n'),
          'source=heart',
        );
    };
    const matched = (news: FollowNews[]): number => news.reduce((sum, one) => sum + one.matched, 0);
    const news = await follow(
      `${app.url}/api/v1/logs/follow?scope=${encodeURIComponent('level = error')}`,
      (all) => matched(all) >= 120,
      send,
    );
    const texts = news.flatMap(({ records }) => records.map(({ text }) => text));
    expect(texts.sort()).toEqual(Array.from({ length: 120 }, (_, index) => `beat ${index * 2}`).sort());
  });

  it('turns away a scope that can not be read', async () => {
    expect((await fetch(`${app.url}/api/v1/logs/follow?scope=${encodeURIComponent('level >')}`)).status).toBe(
      400,
    );
    expect((await fetch(`${app.url}/api/v1/logs/follow?dataset=none`)).status).toBe(404);
  });
});
