import * as z from 'zod';
import { BackgroundShape } from '../render/background';
import { BackgroundEntry, NewBackground } from './background-schemas';
import type { RouteSpec } from './routes';
import { ServiceAddress } from './schemas';

/** Pictures of the ground that lie under the data, from services that the analyst named. */
export const BACKGROUND_ROUTES = {
  openTiles: {
    verb: 'post',
    path: '/api/services/tiles',
    summary:
      'What can be laid under the data from an address: tiles {z}/{x}/{y}, OGC API - Tiles, or a Web Map Service',
    body: z.object({
      address: ServiceAddress,
      /** The system of the project, in which tiles are preferred. */
      crs: z.string().max(2000).optional(),
    }),
    status: 200,
    response: z.array(BackgroundShape),
  },
  backgrounds: {
    verb: 'get',
    path: '/api/projects/:project/backgrounds',
    summary: 'Backgrounds of a project',
    status: 200,
    response: z.array(BackgroundEntry),
  },
  createBackground: {
    verb: 'post',
    path: '/api/projects/:project/backgrounds',
    summary: 'Keep a background with the project',
    body: NewBackground,
    status: 201,
    response: BackgroundEntry,
  },
  deleteBackground: {
    verb: 'delete',
    path: '/api/projects/:project/backgrounds/:background',
    summary: 'Remove a background; it can be brought back',
    status: 204,
  },
  tile: {
    verb: 'get',
    path: '/api/projects/:project/backgrounds/:background/tiles/:level/:row/:column',
    summary: 'A tile of a background, fetched from its service: PNG, JPEG or WebP; nothing where there is none',
    status: 200,
    response: 'bytes',
  },
} as const satisfies Record<string, RouteSpec>;
