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
import { AppModule } from './app.module.js';
import type { Config } from './config/config.js';
import { LARGEST_BODY } from './problems/problem.filter.js';

/** Lines are streamed. */
const STREAMED = '/api/v1/intake/logs';
/** Other intake is read as a whole, whatever its type says, and unpacked. */
const WHOLE = /^\/(?:api\/v1\/intake\/|v1\/)/;

/** The whole application, ready to listen. */
export async function createApp(config: Config): Promise<NestExpressApplication> {
  const app = await NestFactory.create<NestExpressApplication>(AppModule.with(config), {
    bodyParser: false,
    logger: ['error', 'warn'],
  });
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
  const json = express.json({ limit: '1mb' });
  const raw = express.raw({ limit: LARGEST_BODY, type: () => true });
  app.use((request: Request, response: Response, next: NextFunction) => {
    if (request.path === STREAMED) next();
    else if (WHOLE.test(request.path)) raw(request, response, next);
    else json(request, response, next);
  });
  app.useGlobalPipes(new ValidationPipe({ transform: true, whitelist: true, forbidNonWhitelisted: true }));
  app.enableShutdownHooks();
  describe(app);
  serveWeb(app);
  // Large files take their time.
  app.getHttpServer().requestTimeout = 0;
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
