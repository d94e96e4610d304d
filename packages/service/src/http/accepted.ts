import type { Route } from '@tantamos/contract';
import { clip, fail } from '@tantamos/core';
import type { Request, RequestHandler } from 'express';

/**
 * Refuses what a route would not read, before anything is done: a body of another media type than the route's
 * (`unsupported_media_type`, RFC 9110, section 15.5.16), a body or query parameters on a route that takes none
 * (`bad_request`). What is sent is used or refused, never ignored.
 */
export function onlyAccepted({ body, takes, query }: Route): RequestHandler {
  const media = takes ?? (body ? ['application/json'] : []);
  return (req, res, next) => {
    const [parameter] = query ? [] : Object.keys(req.query);
    if (parameter !== undefined)
      fail('bad_request', `“${clip(parameter)}” is not known here: this call takes no parameters in its address.`, {
        where: clip(parameter),
      });
    if (!hasBody(req)) return next();
    if (media.length === 0) fail('bad_request', 'This call takes no body; nothing was done.');
    const given = req.get('Content-Type');
    if (req.is([...media]) === false || (body && !isUtf8(given))) {
      res.setHeader('Accept', media.join(', '));
      fail(
        'unsupported_media_type',
        `The body must be ${media.join(' or ')}, not ${given ? clip(given) : 'without a media type'}; nothing was done.`,
        { where: 'Content-Type' },
      );
    }
    next();
  };
}

/** JSON is UTF-8 (RFC 8259, section 8.1). */
function isUtf8(type = ''): boolean {
  const [, charset = 'utf-8'] = /;\s*charset\s*=\s*"?([^\s";]*)/i.exec(type) ?? [];
  return charset.toLowerCase() === 'utf-8';
}

/** An empty body says nothing that could be ignored. */
function hasBody({ headers }: Request): boolean {
  return headers['transfer-encoding'] !== undefined || Number(headers['content-length'] ?? 0) > 0;
}
