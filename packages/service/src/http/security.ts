import { fail } from '@tantamos/core';
import { parseCookie, stringifySetCookie } from 'cookie';
import type { Request, RequestHandler, Response } from 'express';
import type { Accounts } from '../accounts/accounts';
import type { Person } from '../accounts/person';

export const cookieName = 'tantamos_session';
const browserCookie = 'tantamos_browser';

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
    if (given.by === 'cookie') refuseCrossSite(req);
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

/** The address a request comes from; of IPv6 the network (64 bits), which is what one place has. */
export function addressOf(req: Request): string {
  const address = (req.ip ?? 'unknown').replace(/^::ffff:(?=\d+\.)/, '').replace(/%.*/, '');
  if (!address.includes(':')) return address;
  const [head, tail] = address.split('::').map((side) => side.split(':').filter(Boolean)) as [string[], string[]?];
  const blank = Array<string>(Math.max(0, 8 - head.length - (tail?.length ?? 0))).fill('0');
  return `${[...head, ...blank, ...(tail ?? [])].slice(0, 4).join(':')}::/64`;
}

/** The secret that a browser goes by where it has been signed in from before. */
export function browserOf(req: Request): string | undefined {
  const secret = parseCookie(req.headers.cookie ?? '')[browserCookie];
  return secret !== undefined && /^[\w-]{43}$/.test(secret) ? secret : undefined;
}

export function setBrowserCookie(req: Request, res: Response, secret: string, days: number): void {
  const rules = { ...cookieRules(req), path: '/api/sessions', maxAge: days * 86_400 };
  res.append('Set-Cookie', stringifySetCookie({ name: browserCookie, value: secret, ...rules }));
}

export function clearSessionCookie(req: Request, res: Response): void {
  res.append('Set-Cookie', stringifySetCookie({ name: cookieName, value: '', ...cookieRules(req), maxAge: 0 }));
}

/** A cookie travels by itself, so what changes anything must come from our own pages. */
export function refuseCrossSite(req: Request): void {
  if (req.method === 'GET' || req.method === 'HEAD') return;
  const site = req.headers['sec-fetch-site'];
  const { origin, host } = req.headers;
  const isOwn = origin !== undefined && URL.canParse(origin) && new URL(origin).host === host;
  if (site === 'same-origin' || (site === undefined && isOwn)) return;
  fail('cross_site', 'This request did not come from a page of this service.');
}

function cookieRules(req: Request) {
  return { httpOnly: true, sameSite: 'strict', path: '/', secure: req.secure } as const;
}
