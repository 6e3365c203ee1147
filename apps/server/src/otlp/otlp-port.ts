import type { NestExpressApplication } from '@nestjs/platform-express';
import type { RequestListener } from 'node:http';
import { createServer, type Server } from 'node:http';
import { Lifecycle } from '../platform/lifecycle.service.js';
import { takesItsTime } from '../app.js';

/**
 * Answers the OpenTelemetry protocol on a port of its own: the one that its senders use unasked. Nothing else
 * is to be had there.
 */
export async function listenForOtlp(
  app: NestExpressApplication,
  port: number,
  host: string,
): Promise<Server> {
  const answer = app.getHttpAdapter().getInstance() as unknown as RequestListener;
  const server = createServer((request, response) => {
    if (request.url?.startsWith('/v1/')) answer(request, response);
    else
      response
        .writeHead(404, { 'content-type': 'text/plain' })
        .end('Only /v1/logs, /v1/traces and /v1/metrics are here.\n');
  });
  takesItsTime(server);
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, host, resolve);
  });
  app.get(Lifecycle).onEnding(() => {
    server.close();
    return Promise.resolve();
  });
  app.getHttpServer().once('close', () => server.closeAllConnections());
  return server;
}
