import { clip, fail } from '@tantamos/core';
import type { RequestHandler } from 'express';

const loopback = ['localhost', '127.0.0.1', '[::1]'];

/**
 * Answers only under the names that are this service's, loopback ones always among them: a page of a stranger's name that
 * was made to mean this machine (DNS rebinding) gets nothing.
 */
export function onlyHosts(hosts: readonly string[]): RequestHandler {
  const known = new Set([...loopback, ...hosts].map((h) => h.toLowerCase()));
  return (req, _res, next) => {
    const host = (req.hostname ?? '').toLowerCase();
    if (!known.has(host) && !host.endsWith('.localhost'))
      fail(
        'unknown_host',
        `This service does not answer under the name “${clip(host)}”; whoever runs it sets its names (TANTAMOS_HOSTS).`,
      );
    next();
  };
}
