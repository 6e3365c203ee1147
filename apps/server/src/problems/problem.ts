/** An error that the asker can do something about: answered as problem details (RFC 9457). */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    readonly title: string,
    detail: string,
    readonly more: { position?: { from: number; to: number }; errors?: string[]; retryAfter?: number } = {},
  ) {
    super(detail);
  }
}

export const badRequest = (code: string, detail: string, more?: Problem['more']): Problem =>
  new Problem(400, code, 'The request can not be understood', detail, more);

export const notFound = (code: string, detail: string): Problem =>
  new Problem(404, code, 'Not found', detail);
