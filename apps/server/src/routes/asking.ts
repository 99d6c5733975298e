import type { Request } from 'express';
import type { Config } from '../config';
import { ownOrigin } from '../guard';

/** Helk's own token, sent on only to Helk itself; null where none is needed. */
export const ownToken = (config: Config, req: Request): { origin: string; value: string } | null =>
  config.token ? { origin: ownOrigin(req), value: config.token } : null;

/** How another service is asked for a request: for so many milliseconds in all, whatever it sends meanwhile, and no
 * longer than somebody waits for the answer. */
export function asking(
  config: Config,
  req: Request,
  ms: number,
): { signal: AbortSignal; token: { origin: string; value: string } | null } {
  const gone = new AbortController();
  req.res?.on('close', () => gone.abort());
  return { signal: AbortSignal.any([gone.signal, AbortSignal.timeout(ms)]), token: ownToken(config, req) };
}
