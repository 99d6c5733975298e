import { HelkError } from '@helk/core';
import { serviceAddress, type Answer, type Get } from '@helk/core/services/get';

export interface Limits {
  /** Bytes of one answer. */
  maxAnswer: number;
  /** Bytes of all answers together. */
  maxTotal: number;
  /** Milliseconds without a sign of life. */
  patience: number;
  /** Waits before a busy or failing service is asked again, milliseconds. */
  retries: number[];
}

export const LIMITS: Limits = {
  maxAnswer: 64 * 2 ** 20,
  maxTotal: 2 * 2 ** 30,
  patience: 20_000,
  retries: [500, 2000],
};

const MOST_REDIRECTS = 3;
/** A service that asks for a longer pause than this is told about instead. */
const LONGEST_PAUSE = 10_000;
const BUSY = new Set([429, 502, 503, 504]);

const WHY: Record<string, string> = {
  ENOTFOUND: 'there is no machine of that name',
  EAI_AGAIN: 'names of machines cannot be looked up now',
  ECONNREFUSED: 'nothing listens there',
  ECONNRESET: 'the connection was broken off',
  UND_ERR_SOCKET: 'the connection was broken off',
  ETIMEDOUT: 'it did not answer',
  EHOSTUNREACH: 'there is no way to it',
  ENETUNREACH: 'there is no way to it',
  'bad port': 'that port is not asked, since no such service stands there',
};

class Busy extends Error {
  constructor(
    readonly refusal: HelkError,
    readonly pause: number,
  ) {
    super(refusal.message);
  }
}

interface Asking {
  signal?: AbortSignal;
  /** Answers that mean that there is nothing there, which is none of a fault: they come back empty. */
  nothing?: ReadonlySet<number>;
  token?: { origin: string; value: string } | null;
  limits?: Partial<Limits>;
}

export interface BytesAnswer extends Omit<Answer, 'text'> {
  bytes: Buffer;
}

/**
 * Asks addresses of one machine: only GET, no cookies, no credentials but Helk's own token to Helk itself; redirects only
 * within the machine; limits on size and on silence; a busy service is asked again after a pause.
 */
export function outgoing(o: Asking): Get {
  const get = outgoingBytes(o);
  return async (url, accept) => {
    const { bytes, ...answer } = await get(url, accept);
    return { ...answer, text: bytes.toString('utf8') };
  };
}

/** The same for what is no text. */
export function outgoingBytes(o: Asking): (url: string, accept: string) => Promise<BytesAnswer> {
  const limits = { ...LIMITS, ...o.limits };
  let total = 0;
  const once = async (url: string, accept: string, hops: number): Promise<BytesAnswer> => {
    const origin = new URL(url).origin;
    const quiet = new AbortController();
    let timer = setTimeout(() => quiet.abort(), limits.patience);
    const alive = (): void => {
      clearTimeout(timer);
      timer = setTimeout(() => quiet.abort(), limits.patience);
    };
    const signal = o.signal ? AbortSignal.any([quiet.signal, o.signal]) : quiet.signal;
    try {
      const r = await fetch(url, {
        redirect: 'manual',
        signal,
        credentials: 'omit',
        headers: {
          Accept: accept,
          'User-Agent': 'Helk',
          ...(o.token?.origin === origin ? { Authorization: `Bearer ${o.token.value}` } : {}),
        },
      });
      alive();
      if (r.status >= 300 && r.status < 400) {
        await r.body?.cancel();
        const to = new URL(r.headers.get('location') ?? '', url);
        if (to.origin !== origin)
          throw new HelkError(
            'service.elsewhere',
            `${url} sends on to ${to.host}, which nobody asked for; it was not followed.`,
            'address',
          );
        if (hops >= MOST_REDIRECTS) throw new HelkError('service.invalid', `${url} sends on in a circle.`, 'address');
        return await once(to.href, accept, hops + 1);
      }
      const bytes = await body(r, url, alive);
      if (o.nothing?.has(r.status)) return { url, bytes: Buffer.alloc(0), header: (n) => r.headers.get(n) };
      if (!r.ok) {
        const refusal = new HelkError(
          'service.refused',
          `${url} answered ${r.status}${reason(bytes.toString('utf8'), r)}.`,
          'address',
        );
        if (BUSY.has(r.status)) throw new Busy(refusal, Number(r.headers.get('retry-after') ?? 0) * 1000);
        throw refusal;
      }
      return { url, bytes, header: (n) => r.headers.get(n) };
    } catch (e) {
      if (e instanceof HelkError || e instanceof Busy) throw e;
      if (o.signal?.aborted) throw new HelkError('run.cancelled', 'It was cancelled; nothing was changed.');
      if (quiet.signal.aborted)
        throw new HelkError(
          'service.slow',
          `${new URL(url).host} sent nothing for ${Math.round(limits.patience / 1000)} s; it may be overloaded. Nothing was taken.`,
          'address',
        );
      const cause = (e as { cause?: { code?: string; message?: string } }).cause;
      const code = cause?.code ?? cause?.message ?? '';
      throw new HelkError(
        'service.unreachable',
        `${new URL(url).host} cannot be reached: ${WHY[code] ?? (code || 'the connection failed')}.`,
        'address',
      );
    } finally {
      clearTimeout(timer);
    }
  };
  const body = async (r: Response, url: string, alive: () => void): Promise<Buffer> => {
    const parts: Uint8Array[] = [];
    let size = 0;
    const reader = r.body?.getReader();
    for (;;) {
      const { done, value } = (await reader?.read()) ?? { done: true, value: undefined };
      if (done || !value) break;
      alive();
      size += value.length;
      total += value.length;
      if (size > limits.maxAnswer || total > limits.maxTotal) {
        await reader!.cancel();
        const most = size > limits.maxAnswer ? limits.maxAnswer : limits.maxTotal;
        throw new HelkError(
          'file.tooLarge',
          `${url} sends more than ${Math.round(most / 2 ** 20)} MiB; nothing was taken.`,
          'address',
        );
      }
      parts.push(value);
    }
    return Buffer.concat(parts);
  };
  return async (url, accept) => {
    serviceAddress(url);
    for (let k = 0; ; k++) {
      try {
        return await once(url, accept, 0);
      } catch (e) {
        if (!(e instanceof Busy)) throw e;
        const wait = Math.max(limits.retries[k] ?? 0, e.pause);
        if (k >= limits.retries.length || wait > LONGEST_PAUSE) throw e.refusal;
        await new Promise((resolve) => setTimeout(resolve, wait));
      }
    }
  };
}

/** What a service says of its refusal, in short and as plain text. */
function reason(text: string, r: Response): string {
  try {
    const p = JSON.parse(text) as { detail?: unknown; description?: unknown; title?: unknown };
    const said = [p.detail, p.description, p.title].find((x) => typeof x === 'string');
    if (said) return `: ${said.slice(0, 200).replace(/[.\s]+$/, '')}`;
  } catch {
    // No JSON; the status has to do.
  }
  return r.statusText ? ` (${r.statusText})` : '';
}
