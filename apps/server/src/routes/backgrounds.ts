import type { Express } from 'express';
import { crsFromProj4, HelkError, parseCrs } from '@helk/core';
import { tileAddress, type Background } from '@helk/core/render/background';
import { openTiles } from '@helk/core/services/tiles/open';
import { outgoing, outgoingBytes } from '@helk/node';
import type { Context } from '../context';
import { ownOrigin } from '../guard';
import { tileType } from '../store/pictures';
import { backgrounds, HERE } from '../store/written';
import { asking } from './asking';
import { hang } from './hang';
import { kept } from './kept';

/** Milliseconds that opening a service may take in all, and a tile. */
const OPENING = 60_000;
const TILE = 30_000;
const LARGEST_TILE = 4 * 2 ** 20;
/** What services answer where they have no tile; that they have none is no fault of anything. */
const NO_TILE = new Set([400, 404, 410]);

/** Pictures of the ground under the data. Only services that the analyst named are asked, by this server, with the limits of all it asks. */
export function backgroundRoutes(app: Express, { config, projects }: Context): void {
  const own = (b: Background, from: string, to: string): Background => ({
    ...b,
    address: b.address.replace(from, to),
    tile: b.tile.startsWith(`${from}/`) ? to + b.tile.slice(from.length) : b.tile,
  });

  hang(app, 'openTiles', async ({ body, req }) => {
    const near = body.crs ? parseCrs(body.crs) : null;
    const get = outgoing({ ...asking(config, req, OPENING), limits: { maxAnswer: 2 ** 23, maxTotal: 2 ** 25 } });
    return openTiles(get, body.address, near);
  });

  const { add, remove } = kept(backgrounds, (p, backgrounds) => p.send({ type: 'backgrounds', backgrounds }));
  hang(app, 'backgrounds', async ({ params }) => backgrounds.list((await projects.get(params['project']!)).db));
  hang(app, 'createBackground', async ({ params, body, req }) => {
    crsFromProj4(body.background.crs.proj4, body.background.crs.name);
    return add(await projects.get(params['project']!), own(body.background, ownOrigin(req), HERE));
  });
  hang(app, 'deleteBackground', async ({ params }) =>
    remove(await projects.get(params['project']!), params['background']!),
  );

  hang(app, 'tile', async ({ params, req, res }) => {
    const p = await projects.get(params['project']!);
    const b = own((await backgrounds.get(p.db, params['background']!)).background, HERE, ownOrigin(req));
    const [level, row, column] = ['level', 'row', 'column'].map((n) =>
      /^\d{1,9}$/.test(params[n]!) ? Number(params[n]) : -1,
    ) as [number, number, number];
    const nothing = (): void => {
      res.setHeader('Cache-Control', 'private, max-age=3600');
      res.status(204).end();
    };
    const address = tileAddress(b, level, column, row);
    if (!address) return nothing();
    const get = outgoingBytes({
      ...asking(config, req, TILE),
      nothing: NO_TILE,
      limits: { maxAnswer: LARGEST_TILE, retries: [] },
    });
    const { bytes } = await get(address, 'image/png, image/jpeg, image/webp');
    if (!bytes.length) return nothing();
    const kind = tileType(bytes);
    if (!kind)
      throw new HelkError('service.invalid', `${new URL(address).host} sent something that is no picture for a tile.`);
    res.setHeader('Content-Type', kind);
    res.setHeader('Content-Security-Policy', "default-src 'none'");
    res.setHeader('Cache-Control', 'private, max-age=86400');
    res.send(bytes);
  });
}
