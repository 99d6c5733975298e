import { timingSafeEqual } from 'node:crypto';
import type { RequestHandler } from 'express';
import { HelkError } from '@helk/core';
import { isLoopback, type Config } from './config';

/** The name in a Host or Origin header, without port and brackets. */
function hostName(value: string): string {
  try {
    return new URL(value.includes('://') ? value : `http://${value}`).hostname.replace(/^\[|\]$/g, '');
  } catch {
    return '';
  }
}

const same = (a: string, b: string): boolean =>
  a.length === b.length && timingSafeEqual(Buffer.from(a), Buffer.from(b));

/**
 * Who may ask: on loopback only requests addressed to loopback (so that no other site's name can be pointed here), from pages
 * of this very server; beyond loopback only with the access token. Sets the headers that keep pages to themselves.
 */
export function guard(config: Config): RequestHandler {
  return (req, res, next) => {
    res.setHeader(
      'Content-Security-Policy',
      // Angular writes component styles into the page, hence unsafe-inline for styles only.
      "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; font-src 'self'; img-src 'self' blob: data:; connect-src 'self'; worker-src 'self' blob:; form-action 'none'; frame-ancestors 'none'; base-uri 'self'",
    );
    res.setHeader('X-Content-Type-Options', 'nosniff');
    res.setHeader('Referrer-Policy', 'no-referrer');
    res.setHeader('Cross-Origin-Opener-Policy', 'same-origin');
    res.setHeader('Cross-Origin-Resource-Policy', 'same-origin');
    const host = req.headers.host ?? '';
    const open = !isLoopback(config.host);
    if (!open && !isLoopback(hostName(host)))
      throw new HelkError('request.forbidden', 'Requests must be addressed to this machine (127.0.0.1 or localhost).');
    const origin = req.headers.origin;
    if (origin !== undefined && origin !== `${req.protocol}://${host}`)
      throw new HelkError('request.forbidden', `Pages of ${origin.slice(0, 80)} may not use this server.`);
    const site = req.headers['sec-fetch-site'];
    if (site !== undefined && site !== 'same-origin' && site !== 'none' && req.path.startsWith('/api'))
      throw new HelkError('request.forbidden', 'Other sites may not use this server.');
    if (open && config.token) {
      const given =
        /^Bearer (.+)$/.exec(req.headers.authorization ?? '')?.[1] ??
        /(?:^|;\s*)helk-token=([^;]+)/.exec(req.headers.cookie ?? '')?.[1] ??
        '';
      const asked = typeof req.query['token'] === 'string' ? req.query['token'] : '';
      if (asked && same(asked, config.token))
        res.setHeader('Set-Cookie', `helk-token=${config.token}; HttpOnly; SameSite=Strict; Path=/`);
      else if (!same(given, config.token))
        throw new HelkError(
          'request.forbidden',
          'This server needs its access token: open it with ?token=… once, or send it as a bearer token.',
        );
    }
    next();
  };
}
