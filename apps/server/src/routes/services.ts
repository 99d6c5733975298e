import type { Express, Request } from 'express';
import { featureCount, parseCrs, valueOf, type Features } from '@helk/core';
import {
  columnsOfCollection,
  findCollection,
  openService,
  searchService,
  type Collection,
} from '@helk/core/services/catalogue';
import { countOf, offeredCrs, previewOf } from '@helk/core/services/collect';
import { serviceAddress, type Get } from '@helk/core/services/get';
import { outgoing } from '@helk/node';
import type { ApiServiceCollection } from '@helk/core/api/schemas';
import type { Context } from '../context';
import { ownOrigin } from '../guard';
import { PORTAL_ABOUT, PORTAL_TITLE } from '../portal/collections';
import { asking, ownToken } from './asking';
import { hang } from './hang';

/** Features fetched to be looked at, coordinates sent on, and example values of each column. */
const PREVIEW = 400;
const MOST_COORDINATES = 40_000;
const EXAMPLES = 4;
/** Milliseconds that looking at a service may take in all, whatever it sends meanwhile. */
const LOOKING = 120_000;

/** Searching, describing and taking from services that speak OGC API - Features. Only what the analyst pointed at is asked. */
export function serviceRoutes(app: Express, { config, projects, runs }: Context): void {
  const getter = (req: Request): Get =>
    outgoing({ ...asking(config, req, LOOKING), limits: { maxAnswer: 2 ** 23, maxTotal: 2 ** 26 } });

  hang(app, 'services', ({ req }) => [
    { title: PORTAL_TITLE, about: PORTAL_ABOUT, address: `${ownOrigin(req)}/portal` },
  ]);

  hang(app, 'searchService', async ({ body, req }) => {
    const get = getter(req);
    const s = await openService(get, serviceAddress(body.address).href);
    const found = await searchService(get, s, { words: body.words, bbox: body.bbox });
    return { address: s.address, title: s.title, description: s.description, ...found };
  });

  hang(app, 'describeService', async ({ body, req }) => {
    const get = getter(req);
    const s = await openService(get, serviceAddress(body.address).href);
    const c = await findCollection(get, s, body.collection);
    const [described, count, layers] = [
      await columnsOfCollection(get, c),
      await countOf(get, c),
      await previewOf(get, c, PREVIEW),
    ];
    const seen = layers.map((l) => l.data as Features);
    const columns = described.length
      ? described
      : [...new Set(seen.flatMap((f) => f.columns.map((x) => x.name)))].map((name) => {
          const col = seen.flatMap((f) => f.columns).find((x) => x.name === name)!;
          return { name, title: '', type: col.type === 'text' ? 'string' : col.type, unit: null };
        });
    return {
      id: c.id,
      title: c.title,
      description: c.description,
      extent: c.extent,
      count,
      crs: offered(c),
      storage: storageOf(c),
      columns: columns.map((col) => ({ ...col, examples: examples(seen, col.name) })),
      preview: seen.map(outline),
    };
  });

  hang(app, 'takeService', async ({ params, body, req }) => {
    const p = await projects.get(params['project']!);
    if (body.crs) parseCrs(body.crs);
    const address = serviceAddress(body.address).href;
    return runs.fetchIn(p, {
      ...body,
      address,
      title: body.name || body.collection,
      token: ownToken(config, req),
    });
  });
}

/** Systems the service gives out itself, whose axes can be trusted. */
function offered(c: Collection): { code: string; name: string }[] {
  return c.crs.flatMap((uri) => {
    try {
      const crs = parseCrs(uri);
      return crs.code && offeredCrs(c, crs) ? [{ code: crs.code, name: crs.name }] : [];
    } catch {
      return [];
    }
  });
}

function storageOf(c: Collection): string | null {
  try {
    return c.storageCrs ? parseCrs(c.storageCrs).code : null;
  } catch {
    return null;
  }
}

function examples(sets: Features[], name: string): string[] {
  const out = new Set<string>();
  for (const f of sets) {
    const c = f.columns.find((x) => x.name === name);
    for (let i = 0; c && i < featureCount(f) && out.size < EXAMPLES; i++) {
      const v = valueOf(c, i);
      if (v !== null) out.add(String(v).slice(0, 60));
    }
  }
  return [...out];
}

function outline(f: Features): ApiServiceCollection['preview'][number] {
  const rings: number[][] = [];
  let held = 0;
  for (let r = 0; r + 1 < f.ringOffsets.length && held < MOST_COORDINATES; r++) {
    const ring = Array.from(f.xy.subarray(2 * f.ringOffsets[r]!, 2 * f.ringOffsets[r + 1]!));
    held += ring.length / 2;
    rings.push(ring);
  }
  return { geometry: f.geometry, count: featureCount(f), rings };
}
