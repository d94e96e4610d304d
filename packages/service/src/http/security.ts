import { fail } from '@tantamos/core';
import { parseCookie, stringifySetCookie } from 'cookie';
import type { Request, RequestHandler, Response } from 'express';
import type { Accounts } from '../accounts/accounts';
import type { Person } from '../accounts/rights';

export const cookieName = 'tantamos_session';

/** The secret a request carries, and how. */
export function credential(req: Request): { secret: string; by: 'cookie' | 'token' } | undefined {
  const bearer = /^Bearer ([\w-]{20,200})$/.exec(req.headers.authorization ?? '');
  if (bearer) return { secret: bearer[1]!, by: 'token' };
  const secret = parseCookie(req.headers.cookie ?? '')[cookieName];
  return secret ? { secret, by: 'cookie' } : undefined;
}

/** Lets a request through when it carries a live session, and says whose in `res.locals.person`. */
export function requireSession(accounts: Accounts): RequestHandler {
  return async (req, res, next) => {
    const given = credential(req);
    const person = given && (await accounts.personOf(given.secret));
    if (!person) fail('not_signed_in', 'Sign in first.');
    if (given!.by === 'cookie') refuseCrossSite(req);
    res.locals.person = person;
    next();
  };
}

export function personOf(res: Response): Person {
  return res.locals.person as Person;
}

export function setSessionCookie(req: Request, res: Response, secret: string, expires: Date): void {
  res.append('Set-Cookie', stringifySetCookie({ name: cookieName, value: secret, ...cookieRules(req), expires }));
}

export function clearSessionCookie(req: Request, res: Response): void {
  res.append('Set-Cookie', stringifySetCookie({ name: cookieName, value: '', ...cookieRules(req), maxAge: 0 }));
}

/** A cookie travels by itself, so what changes anything must come from our own pages. */
export function refuseCrossSite(req: Request): void {
  if (req.method === 'GET' || req.method === 'HEAD') return;
  const site = req.headers['sec-fetch-site'];
  const origin = req.headers.origin;
  const own = origin !== undefined && new URL(origin === 'null' ? 'about:blank' : origin).host === req.headers.host;
  if (site === 'same-origin' || (site === undefined && own)) return;
  fail('cross_site', 'This request did not come from a page of this service.');
}

function cookieRules(req: Request) {
  return { httpOnly: true, sameSite: 'strict', path: '/', secure: req.secure } as const;
}
