import type { INestApplicationContext } from '@nestjs/common';
import { NestFactory } from '@nestjs/core';
import { AppModule } from '../app.module.js';
import type { Config } from '../config/config.js';

/** The parts of the server on a data folder, without the server. Throws what went wrong; whoever asks tells it. */
export async function contextOf(config: Config): Promise<INestApplicationContext> {
  const context = await NestFactory.createApplicationContext(AppModule.with(config), {
    logger: false,
    abortOnError: false,
  });
  context.useLogger(['error', 'warn']);
  return context;
}
