import { act } from '@testing-library/react';
import { ReadableStream, type ReadableStreamDefaultController } from 'node:stream/web';
import { type Answers, answerWith } from './answers.js';

/** Stands in for a server whose answer to one path is told line by line; the lines are told by what is returned. */
export function answerTelling(path: string, answers: Answers): (line: object) => Promise<void> {
  answerWith(answers);
  const others = global.fetch;
  let controller: ReadableStreamDefaultController<Uint8Array>;
  global.fetch = ((address: string, init?: RequestInit) =>
    address.endsWith(path)
      ? Promise.resolve({
          ok: true,
          status: 200,
          body: new ReadableStream<Uint8Array>({ start: (own) => void (controller = own) }),
        })
      : others(address, init)) as typeof fetch;
  return async (line) => {
    await act(async () => {
      controller.enqueue(new TextEncoder().encode(`${JSON.stringify(line)}\n`));
      await new Promise((resolve) => setTimeout(resolve, 20));
    });
  };
}
