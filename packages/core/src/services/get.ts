import { HelkError } from '../errors';

/** What came back from an address: where it was read from in the end, and its text. */
export interface Answer {
  url: string;
  text: string;
  header(name: string): string | null;
}

/** How addresses are asked. The surface brings it, with its limits on size and time; failures are HelkErrors `service.*`. */
export type Get = (url: string, accept: string) => Promise<Answer>;

export interface Link {
  href: string;
  rel: string;
  type?: string;
  title?: string;
}

const JSON_TYPES = 'application/geo+json, application/json;q=0.9';

/**
 * An address as somebody types it: `survey.example/ogc`, `http://127.0.0.1:4780/portal`. Machines of one's own are asked
 * without encryption when nothing is said, others with it.
 *
 * @throws HelkError `service.address`
 */
export function serviceAddress(typed: string): URL {
  const t = typed.trim();
  const own = /^(localhost|127\.|\[::1\])/i.test(t);
  let url: URL;
  try {
    url = new URL(/^[a-z][a-z0-9+.-]*:\/\//i.test(t) ? t : `${own ? 'http' : 'https'}://${t}`);
  } catch {
    throw new HelkError(
      'service.address',
      `"${t.slice(0, 200)}" is no address; write one like https://host/path.`,
      'address',
    );
  }
  if (url.protocol !== 'http:' && url.protocol !== 'https:')
    throw new HelkError(
      'service.address',
      `Only http and https addresses are asked, not "${url.protocol}".`,
      'address',
    );
  if (url.username || url.password)
    throw new HelkError('service.address', 'Names and passwords in an address are not sent.', 'address');
  if (!url.hostname.includes('.') && !own && url.hostname !== 'localhost' && !url.hostname.startsWith('['))
    throw new HelkError(
      'service.address',
      `"${t.slice(0, 200)}" names no machine; write one like https://host/path.`,
      'address',
    );
  url.hash = '';
  return url;
}

/** Reads JSON from an address and says what came instead when it is none. */
export async function getJson(get: Get, url: string): Promise<{ data: Record<string, unknown>; answer: Answer }> {
  const answer = await get(url, JSON_TYPES);
  let data: unknown;
  try {
    data = JSON.parse(answer.text);
  } catch {
    const what = /^\s*</.test(answer.text)
      ? 'a web page or XML'
      : answer.text.trim() === ''
        ? 'nothing'
        : `"${answer.text.trim().slice(0, 40)}…"`;
    throw new HelkError('service.invalid', `${url} sent ${what} where JSON was expected.`, 'address');
  }
  if (!data || typeof data !== 'object' || Array.isArray(data))
    throw new HelkError('service.invalid', `${url} sent JSON, but not an object.`, 'address');
  return { data: data as Record<string, unknown>, answer };
}

/** The links of a document that are whole. */
export function linksOf(data: Record<string, unknown>): Link[] {
  const all = Array.isArray(data['links']) ? (data['links'] as unknown[]) : [];
  return all.filter((l): l is Link => {
    const x = l as Partial<Link> | null;
    return typeof x?.href === 'string' && typeof x.rel === 'string';
  });
}

/** The first link of one of these relations, JSON before others; the relation may be its short or its long name. */
export function linkTo(links: readonly Link[], ...rels: string[]): Link | undefined {
  const fits = links.filter((l) => rels.some((r) => l.rel === r || l.rel.endsWith(`/${r}`) || l.rel.endsWith(`:${r}`)));
  return fits.find((l) => !l.type || l.type.includes('json')) ?? undefined;
}

/**
 * The address a link leads to; it must stay on the machine that was asked.
 *
 * @throws HelkError `service.elsewhere`
 */
export function follow(href: string, from: string, what: string): string {
  let url: URL;
  try {
    url = new URL(href, from);
  } catch {
    throw new HelkError('service.invalid', `The link to ${what} of ${from} cannot be read.`, 'address');
  }
  if (url.origin !== new URL(from).origin)
    throw new HelkError(
      'service.elsewhere',
      `The link to ${what} leads to ${url.host}, but ${new URL(from).host} was asked; it was not followed.`,
      'address',
    );
  return url.href;
}

export const textOf = (v: unknown, most = 2000): string => (typeof v === 'string' ? v.slice(0, most) : '');
export const textsOf = (v: unknown): string[] =>
  Array.isArray(v) ? v.filter((x): x is string => typeof x === 'string').slice(0, 200) : [];
