import { createParamDecorator, type ExecutionContext, Injectable, type CanActivate } from '@nestjs/common';
import type { Condition } from '@flail/core';
import type { Request } from 'express';
import { Problem } from '../problems/problem.js';

/** Who asks, and what they may see. */
export interface Asker {
  name: string;
  role: 'operator' | 'developer' | 'lead';
  /** Services whose records may be seen, or all. */
  services: readonly string[] | 'all';
}

/** The one person there is until people can sign in. */
export const OPERATOR: Asker = { name: 'operator', role: 'operator', services: 'all' };

interface AskedRequest extends Request {
  asker?: Asker;
}

/** Settles who asks. */
@Injectable()
export class AccessGuard implements CanActivate {
  canActivate(context: ExecutionContext): boolean {
    const request = context.switchToHttp().getRequest<AskedRequest>();
    request.asker = OPERATOR;
    return true;
  }
}

/** Hands the asker to a handler. */
export const WhoAsks = createParamDecorator((_: unknown, context: ExecutionContext): Asker => {
  const { asker } = context.switchToHttp().getRequest<AskedRequest>();
  if (!asker) throw new Error('The access guard did not run.');
  return asker;
});

/** Turns away all but operators; `what` is shown to them alone. */
export function operatorsOnly({ services, role }: Asker, what: string): void {
  if (services !== 'all' || role !== 'operator')
    throw new Problem(403, 'not-granted', 'Not allowed', `${what} are for operators only.`);
}

/** The condition that keeps a question within what the asker may see; part of every plan. */
export function granted(asker: Asker, condition: Condition): Condition {
  if (asker.services === 'all') return condition;
  return {
    kind: 'and',
    terms: [{ kind: 'in', field: 'service', values: [...asker.services], literal: true }, condition],
  };
}
