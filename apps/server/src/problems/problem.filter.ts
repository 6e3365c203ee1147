import { type ArgumentsHost, Catch, type ExceptionFilter, HttpException, Logger } from '@nestjs/common';
import type { ProblemBody } from '@flail/contract';
import { BrokenBlockError, ExpressionError } from '@flail/core';
import type { Request, Response } from 'express';
import { NDJSON } from '../told/told-answer.js';
import { StuckTaskError } from '../platform/worker-pool.js';
import { badRequest, Problem } from './problem.js';
import { storeProblem } from './store-problem.js';

/** What senders may send at once, unpacked; lines are streamed and know no end. */
export const LARGEST_BODY = '64mb';

/** Answers every error as problem details, with a sentence for people. */
@Catch()
export class ProblemFilter implements ExceptionFilter {
  private readonly logger = new Logger('Problem');

  catch(error: unknown, host: ArgumentsHost): void {
    const response = host.switchToHttp().getResponse<Response>();
    const request = host.switchToHttp().getRequest<Request>();
    // Who asked has gone: there is nobody to tell, and nothing went wrong.
    if (response.destroyed) return;
    const problem = this.problemOf(error, request);
    const { position, errors, retryAfter } = problem.more;
    const body: ProblemBody = {
      type: `urn:flail:problem:${problem.code}`,
      title: problem.title,
      status: problem.status,
      detail: problem.message,
      code: problem.code,
      ...(position && { position }),
      ...(errors && { errors }),
    };
    if (response.headersSent) {
      // Its status is given away; where lines are told, the last one can still say it.
      if (response.getHeader('content-type') === NDJSON)
        response.end(`${JSON.stringify({ problem: body })}\n`);
      else response.destroy();
      return;
    }
    if (retryAfter !== undefined) response.setHeader('Retry-After', String(retryAfter));
    // A body that was not read to its end can't be followed by another request on this connection.
    if (!request.complete) response.setHeader('Connection', 'close');
    response.status(problem.status).type('application/problem+json').send(JSON.stringify(body));
  }

  private problemOf(error: unknown, request: Request): Problem {
    if (error instanceof Problem) return error;
    if (error instanceof ExpressionError) {
      const { from, to } = error.problem;
      return badRequest('expression', error.message, { position: { from, to } });
    }
    if (error instanceof BrokenBlockError)
      return new Problem(500, error.code, 'A part of the store is damaged', error.message);
    if (error instanceof StuckTaskError)
      return new Problem(503, error.code, 'It took too long', error.message);
    if (error instanceof HttpException) return this.httpProblem(error, request);
    const ofStore = storeProblem(error);
    if (ofStore) return ofStore;
    this.logger.error(error instanceof Error ? (error.stack ?? error.message) : String(error));
    return new Problem(
      500,
      'internal',
      'Something went wrong here',
      'The server met an unexpected error; its log tells more.',
    );
  }

  private httpProblem(error: HttpException, request: Request): Problem {
    const answer = error.getResponse();
    const messages = typeof answer === 'object' && 'message' in answer ? answer.message : undefined;
    if (Array.isArray(messages)) {
      const errors = messages.map(String);
      return badRequest(
        'validation',
        `The request has ${errors.length === 1 ? 'a fault' : 'faults'}: ${errors.join('; ')}.`,
        { errors },
      );
    }
    if (error.getStatus() === 413) {
      return new Problem(
        413,
        'too-large',
        'The body is too large',
        `A question to the API may have 1 MB at most, and what is sent at once (but lines) ${LARGEST_BODY.toUpperCase().replace('MB', ' MB')}.`,
      );
    }
    if (error.getStatus() === 404) {
      return new Problem(
        404,
        'no-such-path',
        'Not found',
        `There is nothing at ${request.method} ${request.path}; /api/docs lists what there is.`,
      );
    }
    const code = error.getStatus() === 400 ? 'json' : 'http';
    return new Problem(
      error.getStatus(),
      code,
      'The request can not be understood',
      `The body is not readable: ${error.message}.`,
    );
  }
}
