import { createServer, type IncomingMessage, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { INSTANCES } from '../world/company.js';
import { say } from '../world/line.js';
import { Sender } from './sender.js';

interface Got {
  url: string;
  key: string;
  body: string;
}

/** A small intake that answers as it is told. */
async function intake(
  answer: (attempt: number) => number,
): Promise<{ server: Server; url: string; got: Got[] }> {
  const got: Got[] = [];
  const server = createServer((request: IncomingMessage, response) => {
    let body = '';
    request.on('data', (part: Buffer) => (body += part.toString()));
    request.on('end', () => {
      got.push({ url: request.url!, key: String(request.headers['idempotency-key']), body });
      response.statusCode = answer(got.length);
      response.end('{}');
    });
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return { server, url: `http://127.0.0.1:${(server.address() as AddressInfo).port}`, got };
}

const line = (service: string, index: number, text: string) =>
  say(INSTANCES.get(service)![index]!, Date.UTC(2026, 2, 2), 'INFO', text);

describe('the sender', () => {
  it('sends a batch a source, with a key, and declares what the lines do not say', async () => {
    const { server, url, got } = await intake(() => 200);
    const lines = [line('boarding-api', 0, 'a'), line('boarding-api', 1, 'b'), line('ledger-db', 0, 'c')];
    expect(await new Sender(url, 'run').send('stretch', lines)).toBe(3);
    server.close();
    expect(got).toHaveLength(2);
    const [json, plain] = [...got].sort((a, b) => (a.url < b.url ? -1 : 1));
    expect(json!.url).toContain('source=boarding-api');
    expect(json!.url).not.toContain('attr.host');
    expect(json!.body.split('\n')).toHaveLength(2);
    expect(plain!.url).toContain('attr.instance=ledger-db-1');
    expect(plain!.key).toContain('run/stretch/');
  });

  it('sends again under the same key when the intake is busy or away', async () => {
    const { server, url, got } = await intake((attempt) => (attempt === 1 ? 429 : attempt === 2 ? 503 : 200));
    await new Sender(url, 'run').send('stretch', [line('ledger-db', 0, 'c')]);
    server.close();
    expect(got).toHaveLength(3);
    expect(new Set(got.map(({ key }) => key)).size).toBe(1);
  });

  it('gives up at once when a batch is refused for good', async () => {
    const { server, url, got } = await intake(() => 400);
    await expect(new Sender(url, 'run').send('stretch', [line('ledger-db', 0, 'c')])).rejects.toThrow(
      'refuses a batch',
    );
    server.close();
    expect(got).toHaveLength(1);
  });
});
