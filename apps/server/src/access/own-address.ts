import { hostname, networkInterfaces } from 'node:os';
import type { NextFunction, Request, Response } from 'express';
import type { Config } from '../config/config.js';
import { Problem } from '../problems/problem.js';

const LOOPBACK = ['localhost', '127.0.0.1', '::1'];
/** Addresses that stand for all of a machine's. */
const ANY = ['0.0.0.0', '::'];
/** Methods that change nothing. */
const SAFE = ['GET', 'HEAD', 'OPTIONS'];

/** True for an address that only this machine reaches. */
export const isLoopback = (host: string): boolean =>
  LOOPBACK.includes(host) || /^127(?:\.\d{1,3}){3}$/.test(host);

/** The name or number in a Host header, without its port; undefined for what is none. */
export function hostIn(header: string): string | undefined {
  const match = /^(?:\[([\da-f:.]+)\]|([^\s:/@]+))(?::\d{1,5})?$/i.exec(header);
  return (match?.[1] ?? match?.[2])?.toLowerCase().replace(/\.$/, '');
}

/** Names under which the server may be spoken to. */
function ownNames({ host, publicUrl }: Pick<Config, 'host' | 'publicUrl'>): (name: string) => boolean {
  const names = new Set([host.toLowerCase()]);
  if (publicUrl !== '') names.add(hostIn(new URL(publicUrl).host)!);
  if (ANY.includes(host)) {
    names.add(hostname().toLowerCase());
    for (const addresses of Object.values(networkInterfaces()))
      for (const { address } of addresses ?? []) names.add(address.toLowerCase());
  }
  return (name) => names.has(name) || isLoopback(name) || name.endsWith('.localhost');
}

/**
 * Turns away what is meant for another server, and what the pages of others send. A name that somebody else has
 * pointed at this machine would make a page of theirs one of ours to the browser (DNS rebinding): the Host must be a
 * known one. A page may send what it can't read: where a browser names the Origin of what changes something, it must
 * be ours. Senders that are no browsers name none.
 */
export function ownAddress(config: Pick<Config, 'host' | 'publicUrl'>) {
  const isOwn = ownNames(config);
  const publicOrigin = config.publicUrl === '' ? undefined : new URL(config.publicUrl).origin;
  return (request: Request, _: Response, next: NextFunction): void => {
    const { host, origin, 'sec-fetch-site': site } = request.headers;
    const name = host === undefined ? undefined : hostIn(host);
    // Only the oldest of HTTP, which no browser speaks, knows no Host.
    if (host !== undefined && (name === undefined || !isOwn(name)))
      throw new Problem(
        421,
        'unknown-host',
        'Not meant for this server',
        `This server is not known as "${host.slice(0, 100)}". Name its address in FLAIL_PUBLIC_URL if it is to be reached under it.`,
      );
    if (!SAFE.includes(request.method)) {
      const foreign =
        origin === undefined
          ? site !== undefined && site !== 'same-origin' && site !== 'none'
          : !isSameOrigin(origin, host) && origin !== publicOrigin;
      if (foreign)
        throw new Problem(
          403,
          'cross-site',
          'Not allowed',
          'Requests from the pages of other sites are not accepted.',
        );
    }
    next();
  };
}

/** True for the origin of pages that came from the address that is spoken to. */
const isSameOrigin = (origin: string, host: string | undefined): boolean =>
  URL.canParse(origin) &&
  /^https?:$/.test(new URL(origin).protocol) &&
  new URL(origin).host === host?.toLowerCase();
