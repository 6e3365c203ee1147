import { ValidationPipe } from '@nestjs/common';
import { NestFactory } from '@nestjs/core';
import type { NestExpressApplication } from '@nestjs/platform-express';
import { DocumentBuilder, SwaggerModule } from '@nestjs/swagger';
import compression from 'compression';
import staticGzip from 'express-static-gzip';
import express, { type NextFunction, type Request, type Response } from 'express';
import helmet from 'helmet';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { Server } from 'node:http';
import { ownAddress } from './access/own-address.js';
import { AppModule } from './app.module.js';
import type { Config } from './config/config.js';
import { Lifecycle } from './platform/lifecycle.service.js';
import { refuseTooDeep } from './problems/depth.js';
import { badRequest } from './problems/problem.js';
import { LARGEST_BODY } from './problems/problem.filter.js';

/** Lines are streamed. */
const STREAMED = '/api/v1/intake/logs';
/** Other intake is read as a whole, whatever its type says, and unpacked. */
const WHOLE = /^\/(?:api\/v1\/intake\/|v1\/)/;

/** The whole application, ready to listen. */
export async function createApp(config: Config): Promise<NestExpressApplication> {
  const app = await NestFactory.create<NestExpressApplication>(AppModule.with(config), {
    bodyParser: false,
    // Whoever starts it tells what went wrong.
    logger: false,
    abortOnError: false,
    // What is still open once all that was asked is answered is not waited for.
    forceCloseConnections: true,
  });
  app.useLogger(['error', 'warn']);
  app.use(app.get(Lifecycle).count);
  app.use(ownAddress(config));
  app.use(
    helmet({
      contentSecurityPolicy: {
        useDefaults: false,
        directives: {
          defaultSrc: ["'self'"],
          scriptSrc: ["'self'"],
          workerSrc: ["'self'"],
          // Mantine and the editor set styles at run time.
          styleSrc: ["'self'", "'unsafe-inline'"],
          imgSrc: ["'self'", 'data:'],
          fontSrc: ["'self'"],
          connectSrc: ["'self'"],
          objectSrc: ["'none'"],
          frameAncestors: ["'none'"],
          baseUri: ["'self'"],
          formAction: ["'self'"],
        },
      },
      strictTransportSecurity: false,
    }),
  );
  app.use(compression());
  app.use(dropSilent);
  const text = express.raw({ limit: '1mb', type: 'application/json' });
  const raw = express.raw({ limit: LARGEST_BODY, type: () => true });
  app.use((request: Request, response: Response, next: NextFunction) => {
    if (request.path === STREAMED) next();
    else if (WHOLE.test(request.path)) raw(request, response, next);
    else text(request, response, (error?: unknown) => (error ? next(error) : readJson(request, next)));
  });
  app.useGlobalPipes(new ValidationPipe({ transform: true, whitelist: true, forbidNonWhitelisted: true }));
  describe(app);
  serveWeb(app);
  takesItsTime(app.getHttpServer());
  return app;
}

function describe(app: NestExpressApplication): void {
  const description = new DocumentBuilder()
    .setTitle('Flail')
    .setDescription('Takes in log lines, and answers what differs between a bad time and a good time.')
    .setVersion('1')
    .build();
  SwaggerModule.setup('api/docs', app, () => SwaggerModule.createDocument(app, description));
}

/** Large files take their time: a server that does not end a request for its length alone. */
export function takesItsTime(server: Server): void {
  server.requestTimeout = 0;
  server.headersTimeout = 30_000;
}

/** Milliseconds for which the rest of a body is waited for. */
const SILENT_MS = 30_000;

/** Turns away who begins a request and does not go on with it. Streams of lines look after themselves. */
function dropSilent(request: Request, response: Response, next: NextFunction): void {
  const { headers, socket } = request;
  const hasBody = headers['transfer-encoding'] !== undefined || Number(headers['content-length'] ?? 0) > 0;
  if (request.path !== STREAMED && hasBody) {
    let seen = socket.bytesRead;
    // Not the socket's own limit of time, which also ends those who wait for a long answer.
    const looking = setInterval(() => {
      if (request.complete) clearInterval(looking);
      // What has come and is not read yet is our own delay.
      else if (socket.bytesRead === seen && request.readableLength === 0) {
        if (!response.headersSent) response.writeHead(408, { connection: 'close' }).end();
        request.destroy();
      }
      seen = socket.bytesRead;
    }, SILENT_MS);
    for (const event of ['end', 'close'] as const) request.once(event, () => clearInterval(looking));
  }
  next();
}

/** Reads a question to the API, which is not to lie too deep in itself. */
function readJson(request: Request, next: NextFunction): void {
  const body: unknown = request.body;
  try {
    if (Buffer.isBuffer(body)) request.body = jsonOf(body);
  } catch (error) {
    next(error);
    return;
  }
  next();
}

function jsonOf(body: Buffer): unknown {
  refuseTooDeep(body);
  try {
    return body.length === 0 ? {} : JSON.parse(body.toString('utf8'));
  } catch (error) {
    throw badRequest('json', `The body is not readable: ${error instanceof Error ? error.message : ''}.`);
  }
}

/** The built interface; every path that is no file and no API is one of its views. */
function serveWeb(app: NestExpressApplication): void {
  const folder = join(fileURLToPath(new URL('.', import.meta.url)), '../../web/dist');
  if (!existsSync(folder)) return;
  // The assets were compressed when they were built, further than there is time for at each request.
  const assets = { enableBrotli: true, orderPreference: ['br', 'gz'], index: false };
  app.use(
    '/assets',
    staticGzip(join(folder, 'assets'), { ...assets, serveStatic: { immutable: true, maxAge: '1y' } }),
  );
  app.use(express.static(folder, { index: false }));
  app.use((request: Request, response: Response, next: NextFunction) => {
    if (request.method !== 'GET' || /^\/(?:api|v1)\//.test(request.path)) next();
    else response.sendFile(join(folder, 'index.html'));
  });
}
