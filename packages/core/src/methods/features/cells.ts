import * as z from 'zod';
import { HelkError } from '../../errors';
import { metresPerUnit } from '../../data/crs';
import { FeaturesBuilder, featureBoxes, featuresExtent } from '../../data/features';
import { numberColumn } from '../../data/table';
import { defineMethod, input, output } from '../../method/define';
import { choice, quantity } from '../../method/params';
import { BoxIndex } from '../../numeric/boxes';
import { withGeos } from '../../numeric/geos';
import { planeChecks, shapesOf } from './common';
import type { Check } from '../../data/check';

const MOST = 4_000_000;

export const cells = defineMethod({
  id: 'features.cells',
  version: 1,
  title: 'Net of cells',
  question: 'How can the land be divided into equal cells?',
  about:
    'A net of squares or regular hexagons over the features, those cells kept that touch any of them. The size is the side of a square, or the distance between two opposite sides of a hexagon. Cells are numbered from the north-west, row by row.',
  keywords: ['grid', 'fishnet', 'hexagons', 'squares', 'tessellation', 'hexbin', 'lattice'],
  sources: ['common practice, no source'],
  inputs: { extent: input.features({ label: 'Over these features' }) },
  params: z.object({
    shape: choice({ square: 'squares', hexagon: 'hexagons' }, { label: 'Cells' }).default('square'),
    size: quantity('length', { label: 'Size', unit: 'm', above: 0 }),
  }),
  outputs: { cells: output.features('Cells', undefined, { geometry: 'polygon' }) },
  figures: { cells: { label: 'Cells' } },
  checks: ({ extent }): Check[] => planeChecks(extent, 'A net of equal cells', 'extent'),
  suggest: ({ extent }) => {
    if (!extent.extent || extent.crs?.geographic) return {};
    const [w, s, e, n] = extent.extent;
    const m = extent.crs ? metresPerUnit(extent.crs) : 1;
    const rough = (Math.sqrt(Math.max((e - w) * (n - s), ((e - w) ** 2 + (n - s) ** 2) / 100)) * m) / 40;
    if (!(rough > 0)) return {};
    const power = 10 ** Math.floor(Math.log10(rough));
    const size = [1, 2, 5, 10]
      .map((k) => k * power)
      .reduce((a, b) => (Math.abs(b - rough) < Math.abs(a - rough) ? b : a));
    return { size: { value: `${size} m`, reason: 'about a fortieth of the side of the extent' } };
  },
  estimate: ({ extent }, p) => {
    const [w, s, e, n] = extent.extent ?? [0, 0, 0, 0];
    const size = p.size / (extent.crs ? metresPerUnit(extent.crs) : 1);
    const cells = Math.min(MOST, Math.ceil((e - w) / size + 2) * Math.ceil((n - s) / size + 2));
    return { cells, bytes: cells * 900, seconds: cells / 1e5 };
  },
  run: async ({ extent }, p, job) => {
    const box = featuresExtent(extent);
    if (!box) throw new HelkError('method.input', 'There is no feature to lay cells over.', 'extent');
    const size = p.size / (extent.crs ? metresPerUnit(extent.crs) : 1);
    const hexagon = p.shape === 'hexagon';
    // Hexagons stand on a corner: rows are three quarters of their height apart, every second one shifted by half.
    const height = hexagon ? (size * 2) / Math.sqrt(3) : size;
    const step = hexagon ? height * 0.75 : size;
    const x0 = Math.floor(box[0] / size) * size;
    const y0 = Math.ceil(box[3] / step) * step;
    const columns = Math.ceil((box[2] - x0) / size) + (hexagon ? 2 : 0) || 1;
    const rows = Math.ceil((y0 - box[1]) / step) + (hexagon ? 1 : 0) || 1;
    if (columns * rows > MOST)
      throw new HelkError(
        'method.parameter',
        `size: ${Math.round(columns * rows)} cells are more than ${MOST}; take larger ones.`,
        'size',
      );
    const corners = (c: number, r: number): [number, number][] => {
      if (!hexagon) {
        const [x, y] = [x0 + c * size, y0 - r * size];
        return [
          [x, y - size],
          [x + size, y - size],
          [x + size, y],
          [x, y],
        ];
      }
      const x = x0 + (c + (r % 2 ? 0 : 0.5)) * size - size / 2;
      const y = y0 - r * step;
      return [
        [x + size / 2, y - height / 2],
        [x + size, y - height / 4],
        [x + size, y + height / 4],
        [x + size / 2, y + height / 2],
        [x, y + height / 4],
        [x, y - height / 4],
      ];
    };
    const all = new FeaturesBuilder();
    for (let r = 0; r < rows; r++) {
      if ((r & 63) === 0) job.progress(0.3 * (r / rows), 'laying cells');
      for (let c = 0; c < columns; c++) {
        const ring = corners(c, r);
        for (const [x, y] of [...ring, ring[0]!]) all.coordinate(x, y);
        all.endRing();
        all.endPart();
        all.endFeature();
      }
    }
    const net = all.build('polygon', extent.crs, []);
    const touched = new Uint8Array(columns * rows);
    await withGeos((g) => {
      const index = new BoxIndex(net);
      const boxes = featureBoxes(extent);
      const shapes = shapesOf(g, extent, job, 'the features');
      const made = new Map<number, number>();
      shapes.forEach((s, i) => {
        if ((i & 63) === 0) job.progress(0.3 + 0.6 * (i / shapes.length), 'touching');
        if (!s) return;
        const near = index
          .near(boxes[4 * i]!, boxes[4 * i + 1]!, boxes[4 * i + 2]!, boxes[4 * i + 3]!)
          .filter((k) => !touched[k]);
        if (!near.length) return;
        const ready = g.prepare(s);
        for (const k of near) {
          let cell = made.get(k);
          if (!cell) made.set(k, (cell = g.shape(net, k)));
          if (ready.intersects(cell)) touched[k] = 1;
        }
        ready.done();
      });
    });
    const b = new FeaturesBuilder();
    let id = 0;
    for (let k = 0; k < touched.length; k++) {
      if (!touched[k]) continue;
      const at = net.ringOffsets[k]!;
      for (let c = at; c < net.ringOffsets[k + 1]!; c++) b.coordinate(net.xy[2 * c]!, net.xy[2 * c + 1]!);
      b.endRing();
      b.endPart();
      b.endFeature();
      id++;
    }
    return {
      cells: b.build('polygon', extent.crs, [
        numberColumn(
          'id',
          Float64Array.from({ length: id }, (_, k) => k + 1),
          '',
        ),
      ]),
      figures: { cells: id },
    };
  },
});
