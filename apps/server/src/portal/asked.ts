import type { Request, Response } from 'express';
import { HelkError, parseCrs, transformer, wgs84, type Crs } from '@helk/core';
import { CRS84, link, OFFERED, UTM27 } from './answers';

/** What is asked of the portal, read from a request, and pages of an answer. */

const MOST = 1000;
const USUAL = 100;

const bad = (message: string): HelkError => new HelkError('request.invalid', message);

export const send = (res: Response, body: object, type = 'application/json'): void =>
  void res.type(type).send(JSON.stringify(body));

/** @throws HelkError `request.invalid` for a parameter that there is not */
export const known = (req: Request, names: string[]): void => {
  const odd = Object.keys(req.query).find((k) => !names.includes(k));
  if (odd) throw bad(`There is no parameter "${odd.slice(0, 60)}"; there is ${names.join(', ')}.`);
};

function wholeParam(req: Request, name: string, usual: number, least: number): number {
  const v = req.query[name];
  if (v === undefined) return usual;
  if (typeof v !== 'string' || !/^\d{1,9}$/.test(v) || Number(v) < least)
    throw bad(`${name} must be a whole number of at least ${least}.`);
  return Number(v);
}

export function crsParam(req: Request, name: string): { uri: string; crs: Crs | null } {
  const v = req.query[name];
  if (v === undefined || v === CRS84) return { uri: CRS84, crs: null };
  if (v === UTM27) return { uri: UTM27, crs: parseCrs(UTM27) };
  throw bad(`${name} must be one of ${OFFERED.join(', ')}.`);
}

/** The bbox in longitude and latitude. */
export function boxParam(req: Request): number[] | null {
  const v = req.query['bbox'];
  if (v === undefined) return null;
  const n = typeof v === 'string' ? v.split(',').map(Number) : [];
  if ((n.length !== 4 && n.length !== 6) || !n.every(Number.isFinite)) throw bad('bbox must be four or six numbers.');
  const b = n.length === 6 ? [n[0]!, n[1]!, n[3]!, n[4]!] : n;
  const { crs } = crsParam(req, 'bbox-crs');
  if (!crs) return b;
  const t = transformer(crs, wgs84());
  const corners = [
    [b[0]!, b[1]!],
    [b[2]!, b[1]!],
    [b[0]!, b[3]!],
    [b[2]!, b[3]!],
  ].map(([x, y]) => {
    const out = [0, 0];
    t(x!, y!, out);
    return out as [number, number];
  });
  const [xs, ys] = [corners.map((c) => c[0]), corners.map((c) => c[1])];
  return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
}

export const meets = (a: readonly number[], b: readonly number[]): boolean =>
  a[0]! <= b[2]! && a[2]! >= b[0]! && a[1]! <= b[3]! && a[3]! >= b[1]!;

/** One page of a list with the links to go on. */
export function page<T>(req: Request, res: Response, url: string, all: T[], show: (t: T) => object): void {
  const limit = Math.min(MOST, wholeParam(req, 'limit', USUAL, 1));
  const offset = wholeParam(req, 'offset', 0, 0);
  const part = all.slice(offset, offset + limit);
  const at = (o: number): string => {
    const u = new URL(url);
    for (const [k, v] of Object.entries(req.query)) if (typeof v === 'string') u.searchParams.set(k, v);
    u.searchParams.set('limit', String(limit));
    if (o) u.searchParams.set('offset', String(o));
    else u.searchParams.delete('offset');
    return u.href;
  };
  send(
    res,
    {
      type: 'FeatureCollection',
      numberMatched: all.length,
      numberReturned: part.length,
      timeStamp: new Date().toISOString(),
      features: part.map(show),
      links: [
        link('self', at(offset), 'This page', 'application/geo+json'),
        ...(offset + limit < all.length ? [link('next', at(offset + limit), 'Next page', 'application/geo+json')] : []),
        ...(offset > 0 ? [link('prev', at(Math.max(0, offset - limit)), 'Page before', 'application/geo+json')] : []),
      ],
    },
    'application/geo+json',
  );
}
