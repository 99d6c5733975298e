import * as z from 'zod';
import { cellCount, MISSING_CLASS } from '../data/raster';
import { room } from '../data/room';
import { blockRows } from '../method/rows';
import { asClasses } from '../methods/raster/classes';
import { examplePlaces as placesOf } from '../numeric/example-places';
import { defineGlance } from './glance';

/** Cells that are looked at; of larger grids every second, third … row and column. */
const MOST_CELLS = 2 ** 24;
const PLACES = 3;

export const examplePlaces = defineGlance({
  id: 'imagery.examplePlaces',
  question: 'Where is each class most by itself?',
  inputs: { classes: { kind: 'raster' } },
  params: z.object({}),
  answer: z.object({
    classes: z.array(
      z.object({
        value: z.number(),
        /** In the system of the grid; side in cells of it. */
        places: z.array(z.object({ x: z.number(), y: z.number(), side: z.number() })),
      }),
    ),
  }),
  run: async ({ classes }, _, job) => {
    const { grid } = classes.head;
    const every = Math.max(1, Math.ceil(Math.sqrt(cellCount(grid) / MOST_CELLS)));
    const columns = Math.ceil(grid.columns / every);
    const rows = Math.ceil(grid.rows / every);
    const cells = room(Int32Array, columns * rows);
    const step = blockRows(grid.columns);
    for (let from = 0; from < grid.rows; from += step) {
      job.progress(from / grid.rows, 'looking');
      const n = Math.min(step, grid.rows - from);
      const given = asClasses(await classes.rows(0, from, n));
      for (let r = Math.ceil(from / every) * every; r < from + n; r += every)
        for (let c = 0, o = (r / every) * columns; c < grid.columns; c += every)
          cells[o++] = given[(r - from) * grid.columns + c]!;
    }
    return {
      classes: [...placesOf(cells, columns, MISSING_CLASS, PLACES)]
        .sort(([a], [b]) => a - b)
        .map(([value, places]) => ({
          value,
          places: places.map((p) => ({
            x: grid.x + (p.column * every + 0.5) * grid.dx,
            y: grid.y - (p.row * every + 0.5) * grid.dy,
            side: p.side * every,
          })),
        })),
    };
  },
});
