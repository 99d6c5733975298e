import { createHash, timingSafeEqual } from 'node:crypto';
import type { Request, RequestHandler } from 'express';
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

/** Compares secrets of any length and spelling in the same time. */
function same(a: string, b: string): boolean {
  const digest = (s: string): Buffer => createHash('sha256').update(s).digest();
  return timingSafeEqual(digest(a), digest(b));
}

/**
 * The address under which a request reached this server, from the connection itself: what a request says of it in its Host header can
 * be anything, and the access token must not follow that.
 */
export function ownOrigin(req: Request): string {
  const address = (req.socket.localAddress ?? '127.0.0.1').replace(/^::ffff:/, '');
  return `http://${address.includes(':') ? `[${address}]` : address}:${req.socket.localPort ?? 80}`;
}

/** Cookies and headers carry bytes; a token of other letters is spelled in plain ones. */
const spelled = (token: string): string => encodeURIComponent(token);

function givenToken(req: Request): string {
  const bearer = /^Bearer (.+)$/.exec(req.headers.authorization ?? '')?.[1];
  // Node reads headers as Latin-1; clients send UTF-8.
  if (bearer !== undefined) return Buffer.from(bearer, 'latin1').toString('utf8');
  const cookie = /(?:^|;\s*)helk-token=([^;]+)/.exec(req.headers.cookie ?? '')?.[1] ?? '';
  try {
    return decodeURIComponent(cookie);
  } catch {
    return '';
  }
}

/** The same address without the token, so that it stays neither in the bar nor in the history. */
function withoutToken(req: Request): string {
  const url = new URL(req.originalUrl, 'http://here');
  url.searchParams.delete('token');
  return `${url.pathname.replace(/^\/+/, '/')}${url.search}`;
}

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
    // What is not said to be kept (chunks, scripts of the page) is kept nowhere.
    res.setHeader('Cache-Control', 'no-store');
    const host = req.headers.host ?? '';
    const open = !isLoopback(config.host);
    if (!open && !isLoopback(hostName(host)))
      throw new HelkError('request.forbidden', 'Requests must be addressed to this machine (127.0.0.1 or localhost).');
    const origin = req.headers.origin;
    if (origin !== undefined && origin !== `${req.protocol}://${host}`)
      throw new HelkError('request.forbidden', `Pages of ${origin.slice(0, 80)} may not use this server.`);
    const site = req.headers['sec-fetch-site'];
    // A link from elsewhere may open the workbench; nothing else may be fetched by other sites, whatever its path.
    const opens =
      req.method === 'GET' && req.headers['sec-fetch-mode'] === 'navigate' && /^\/(p\/\w+)?$/.test(req.path);
    if (site !== undefined && site !== 'same-origin' && site !== 'none' && !opens)
      throw new HelkError('request.forbidden', 'Other sites may not use this server.');
    if (open && config.token) {
      const asked = typeof req.query['token'] === 'string' ? req.query['token'] : '';
      if (asked && same(asked, config.token)) {
        res.setHeader('Set-Cookie', `helk-token=${spelled(config.token)}; HttpOnly; SameSite=Strict; Path=/`);
        if (req.method === 'GET') {
          res.redirect(303, withoutToken(req));
          return;
        }
      } else if (!same(givenToken(req), config.token))
        throw new HelkError(
          'request.forbidden',
          'This server needs its access token: open it with ?token=… once, or send it as a bearer token.',
        );
    }
    next();
  };
}
