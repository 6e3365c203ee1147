import type { Request, Response } from 'express';

export const NDJSON = 'application/x-ndjson';

/**
 * Answers with what a task brings. Asked for application/x-ndjson, it writes a line for all that is told on the
 * way, and last one with the answer. (Of a problem in between ProblemFilter writes the last line.)
 */
export async function toldAnswer<News extends object>(
  request: Request,
  response: Response,
  run: (tell?: (news: News) => void) => Promise<object>,
): Promise<void> {
  if (request.accepts(['json', NDJSON]) !== NDJSON) {
    response.json(await run());
    return;
  }
  const write = (line: object): void => {
    if (response.destroyed) return;
    if (!response.headersSent) response.type(NDJSON);
    response.write(`${JSON.stringify(line)}\n`);
    response.flush();
  };
  write({ answer: await run(write) });
  response.end();
}
