import { crsOfCode } from '../data/crs';
import { FeaturesBuilder, type Features } from '../data/features';
import { measureRaster, type Raster } from '../data/raster';
import { Random } from '../numeric/random';
import { gridOf } from '../testing';
import type { Recipe } from './shape';

/** Two tiles of a valley that falls to the east, and an outlet in it. */
export function valley(seed = 3): { tiles: Raster[]; outlet: Features } {
  const random = new Random(seed);
  const tile = (x: number): Raster => {
    const cells = Float32Array.from({ length: 30 * 40 }, (_, i) => {
      const [c, r] = [(i % 30) + x, Math.floor(i / 30)];
      return 200 - c + 2 * Math.abs(r - 20) + Math.round(3 * random.uniform());
    });
    return measureRaster(gridOf(30, 40, 10, { x: 400_000 + 10 * x }), cells, { name: 'height', unit: 'm' });
  };
  const b = new FeaturesBuilder();
  b.point(400_000 + 10 * 50 + 5, 6_460_000 - 10 * 20 - 5);
  return { tiles: [tile(0), tile(30)], outlet: b.build('point', crsOfCode(32627), []) };
}

/** From tiles to the land that drains to a point. */
export const WATERSHED: Recipe = {
  helkRecipe: 1,
  title: 'Watershed of a gauge',
  question: 'What drains to the gauge?',
  about: '',
  inputs: [
    { name: 'tiles', kind: 'raster', label: 'Elevation tiles', many: true },
    { name: 'outlets', kind: 'features', label: 'Gauge' },
  ],
  steps: [
    { id: 'mosaic', method: 'raster.mosaic', version: 1, inputs: { tiles: 'tiles' }, params: {} },
    { id: 'fill', method: 'terrain.fill', version: 1, inputs: { elevation: 'mosaic.mosaic' }, params: {} },
    {
      id: 'watersheds',
      method: 'terrain.watersheds',
      version: 1,
      inputs: { elevation: 'fill.filled', outlets: 'outlets' },
      params: { snap: '30 m' },
    },
  ],
  keep: ['watersheds.watersheds'],
};
