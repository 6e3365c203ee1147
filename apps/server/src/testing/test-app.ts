import 'reflect-metadata';
import type { NestExpressApplication } from '@nestjs/platform-express';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createApp } from '../app.js';
import { configOf } from '../config/config.js';

/** The real application on a store of its own, for tests. */
export class TestApp {
  private constructor(
    readonly app: NestExpressApplication,
    readonly url: string,
    readonly data: string,
  ) {}

  /** Starts on a new store, or on one that was left by another. */
  static async start(
    data = mkdtempSync(join(tmpdir(), 'flail-')),
    settings: Record<string, string> = {},
  ): Promise<TestApp> {
    const app = await createApp(configOf({ ...settings, FLAIL_DATA: data, FLAIL_PORT: '0' }));
    await app.listen(0, '127.0.0.1');
    return new TestApp(app, (await app.getUrl()).replace('[::1]', '127.0.0.1'), data);
  }

  async end(): Promise<void> {
    await this.app.close();
    rmSync(this.data, { recursive: true, force: true });
  }

  async get<T>(path: string): Promise<{ status: number; body: T }> {
    const response = await fetch(`${this.url}${path}`);
    return { status: response.status, body: (await response.json()) as T };
  }

  async post<T>(path: string, body: unknown): Promise<{ status: number; type: string | null; body: T }> {
    const response = await fetch(`${this.url}${path}`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: typeof body === 'string' ? body : JSON.stringify(body),
    });
    return {
      status: response.status,
      type: response.headers.get('content-type'),
      body: (await response.json()) as T,
    };
  }

  /** All that is told on the way to an answer, and the answer last. */
  async told<T>(path: string, body: object): Promise<T[]> {
    const response = await fetch(`${this.url}${path}`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', accept: 'application/x-ndjson' },
      body: JSON.stringify(body),
    });
    expect(response.headers.get('content-type')).toContain('application/x-ndjson');
    const lines = (await response.text()).trim().split('\n');
    return lines.map((line) => JSON.parse(line) as T);
  }

  /** Sends lines; a text content type unless another is given. */
  async take<T>(
    lines: string | Uint8Array,
    query = 'source=test',
    headers: Record<string, string> = {},
  ): Promise<{ status: number; body: T }> {
    const response = await fetch(`${this.url}/api/v1/intake/logs?${query}`, {
      method: 'POST',
      headers: { 'content-type': 'text/plain', ...headers },
      body: lines as string,
    });
    return { status: response.status, body: (await response.json()) as T };
  }
}
