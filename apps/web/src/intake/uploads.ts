import type { IntakeAnswer, OpenedBundle } from '@flail/contract';
import { problemOf } from '../api/client.js';

export interface Upload {
  id: number;
  name: string;
  size: number;
  /** Bytes sent so far. */
  sent: number;
  state: 'waiting' | 'sending' | 'storing' | 'done' | 'failed' | 'stopped';
  /** What came of a file of lines, and of a bundle. */
  answer?: IntakeAnswer;
  opened?: OpenedBundle;
  error?: string;
}

/** The same file, brought in twice, is stored once. */
const keyOf = (file: File, format: string): string =>
  `file/${file.name}/${file.size}/${file.lastModified}/${format}`.slice(-200);

/** Zip archives are opened as data sets of their own. */
export const isBundle = ({ name }: { name: string }): boolean => /\.zip$/i.test(name);

/** Sends files one after another, and tells every change of how far each has got. */
export class Uploads {
  private list: readonly Upload[] = [];
  private readonly listeners = new Set<() => void>();
  private readonly queue: { id: number; file: File; format: string }[] = [];
  private current: { id: number; request: XMLHttpRequest } | undefined;
  private next = 1;

  constructor(private readonly stored: () => void) {}

  readonly subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  readonly snapshot = (): readonly Upload[] => this.list;

  add(files: readonly File[], format: string): void {
    for (const file of files) {
      const id = this.next++;
      this.list = [{ id, name: file.name, size: file.size, sent: 0, state: 'waiting' }, ...this.list];
      this.queue.push({ id, file, format });
    }
    this.tell();
    this.work();
  }

  /** Stops a file that is waiting or on its way; what is stored of it stays. */
  stop(id: number): void {
    const waiting = this.queue.findIndex((item) => item.id === id);
    if (waiting >= 0) this.queue.splice(waiting, 1);
    if (this.current?.id === id) this.current.request.abort();
    else this.update(id, { state: 'stopped' });
  }

  private work(): void {
    if (this.current) return;
    const item = this.queue.shift();
    if (!item) return;
    const { id, file, format } = item;
    const request = new XMLHttpRequest();
    this.current = { id, request };
    const finish = (change: Partial<Upload>): void => {
      this.current = undefined;
      this.update(id, change);
      this.work();
    };
    request.upload.onprogress = (event) =>
      this.update(id, { sent: event.loaded, state: event.loaded < file.size ? 'sending' : 'storing' });
    request.upload.onload = () => this.update(id, { sent: file.size, state: 'storing' });
    request.onload = () => {
      if (request.status >= 200 && request.status < 300) {
        const body = JSON.parse(request.responseText) as IntakeAnswer & OpenedBundle;
        finish({ state: 'done', sent: file.size, ...(isBundle(file) ? { opened: body } : { answer: body }) });
        this.stored();
      } else finish({ state: 'failed', error: problemOf(request.status, request.responseText).detail });
    };
    request.onerror = () =>
      finish({
        state: 'failed',
        error: 'The connection ended before the file was stored. Bring it in again; nothing is stored twice.',
      });
    request.onabort = () => finish({ state: 'stopped' });
    if (isBundle(file)) {
      request.open('POST', '/api/v1/datasets');
      request.setRequestHeader('content-type', 'application/zip');
    } else {
      const parameters = new URLSearchParams({ source: file.name, format });
      request.open('POST', `/api/v1/intake/logs?${parameters.toString()}`);
      request.setRequestHeader('content-type', 'application/octet-stream');
      request.setRequestHeader('idempotency-key', encodeURIComponent(keyOf(file, format)).slice(-200));
    }
    this.update(id, { state: 'sending' });
    request.send(file);
  }

  private update(id: number, change: Partial<Upload>): void {
    this.list = this.list.map((upload) => (upload.id === id ? { ...upload, ...change } : upload));
    this.tell();
  }

  private tell(): void {
    for (const listener of this.listeners) listener();
  }
}
