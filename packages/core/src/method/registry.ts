import { HelkError } from '../errors';
import * as cloud from '../methods/cloud';
import * as features from '../methods/features';
import * as imagery from '../methods/imagery';
import * as network from '../methods/network';
import * as recipe from '../methods/recipe';
import * as raster from '../methods/raster';
import * as stats from '../methods/stats';
import * as surface from '../methods/surface';
import * as terrain from '../methods/terrain';
import * as time from '../methods/time';
import type { Method } from './define';

/** Families as a person calls them. */
export const FAMILIES: Record<string, string> = {
  raster: 'Rasters',
  terrain: 'Terrain',
  features: 'Features',
  surface: 'Points to surfaces',
  imagery: 'Imagery',
  stats: 'Statistics',
  time: 'Time',
  cloud: 'Point clouds',
  network: 'Networks',
  recipe: 'Recipes',
};

/** The only list of methods. Families in the order of the work. */
const METHODS: Method[] = [
  ...Object.values(raster),
  ...Object.values(terrain),
  ...Object.values(features),
  ...Object.values(surface),
  ...Object.values(imagery),
  ...Object.values(stats),
  ...Object.values(time),
  ...Object.values(cloud),
  ...Object.values(network),
  ...Object.values(recipe),
];

const BY_ID = new Map(METHODS.map((m) => [m.id, m]));

export function methods(): readonly Method[] {
  return METHODS;
}

/** @throws HelkError `method.unknown`, with the nearest ids. */
export function methodOf(id: string): Method {
  const m = BY_ID.get(id);
  if (m) return m;
  const near = METHODS.map((x) => x.id)
    .filter((x) => x.toLowerCase().includes(id.split('.').pop()!.toLowerCase().slice(0, 4)))
    .slice(0, 3);
  throw new HelkError(
    'method.unknown',
    `There is no method "${id}"${near.length ? `; did you mean ${near.join(', ')}?` : '.'}`,
    'method',
  );
}

/** Part of the id before the point; recipes of a project are a family as well. */
export const familyOf = (m: Method): string => m.id.split(/[.:]/)[0]!;
