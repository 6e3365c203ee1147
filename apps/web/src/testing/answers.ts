import { Blob } from 'node:buffer';

/** A request that a part of the interface made. */
export interface Request {
  method: string;
  path: string;
  body: unknown;
}

/** What the server would answer, or makes of the body, by the beginning of the path under `/api/v1/`; the longest that fits counts. */
export type Answers = Record<string, unknown>;

/** Stands in for the server; tells what was asked. What is told on the way comes as one answer. */
export function answerWith(answers: Answers): Request[] {
  const asked: Request[] = [];
  global.fetch = ((address: string, init?: RequestInit) => {
    const path = address.replace('/api/v1/', '');
    const body: unknown = typeof init?.body === 'string' ? JSON.parse(init.body) : undefined;
    const method = init?.method ?? 'GET';
    asked.push({ method, path, body });
    const [found] = Object.keys(answers)
      .filter((beginning) => `${method} ${path}`.startsWith(beginning) || path.startsWith(beginning))
      .sort((a, b) => b.length - a.length);
    const given = found === undefined ? [] : answers[found];
    const answer: unknown = typeof given === 'function' ? (given as (body: unknown) => unknown)(body) : given;
    return Promise.resolve({
      ok: true,
      status: 200,
      text: () => Promise.resolve(answer === undefined ? '' : JSON.stringify(answer)),
      body: new Blob([`${JSON.stringify({ answer })}\n`]).stream(),
    });
  }) as unknown as typeof fetch;
  return asked;
}
