import { HelkError } from '../errors';
import type { Extent } from '../data/crs';
import { featureCount, featuresExtent } from '../data/features';
import { gridExtent, missingOf } from '../data/raster';
import { rescaleBand } from '../data/rescale-band';
import { tableRows } from '../data/table';
import type { Note } from '../method/job';
import { summarise } from '../numeric/statistics';
import type { Layer } from './reader';

/** One layer of a file as it is shown for confirmation before it is taken in. */
export interface ReviewRow {
  layer: string;
  kind: 'raster' | 'features' | 'table';
  /** West, south, east, north in the layer's own system. */
  extent: Extent | null;
  crs: { code: string | null; name: string; unit: string } | null;
  columns: number;
  rows: number;
  /** Of the first band; null where there is no value. */
  min: number | null;
  max: number | null;
  missing: number;
  unit: string | null;
  /** Whether a factor and an offset make sense. */
  scalable: boolean;
  steps: string[];
  step: number;
  notes: Note[];
}

/** What the analyst decided about one layer. */
export interface LayerChoice {
  layer: string;
  /** Name of the dataset; the layer's own when not given. */
  name?: string | undefined;
  step?: number | undefined;
  factor?: number | undefined;
  offset?: number | undefined;
  /** Unit of the values after factor and offset; the file's when not given. */
  unit?: string | undefined;
}

/** The facts of each layer that let an analyst see whether it is the right grid in the right place. O(cells). */
export function reviewOf(layers: readonly Layer[]): ReviewRow[] {
  return layers.map(({ name, data, notes, steps, step }) => {
    const common = { layer: name, kind: data.kind, notes, steps: steps ?? [], step: step ?? 0 };
    const none = { min: null, max: null, missing: 0, unit: null, scalable: false };
    if (data.kind === 'table')
      return { ...common, ...none, extent: null, crs: null, columns: data.columns.length, rows: tableRows(data) };
    const crs = data.kind === 'raster' ? data.grid.crs : data.crs;
    const system = crs ? { code: crs.code, name: crs.name, unit: crs.unit } : null;
    if (data.kind === 'features')
      return {
        ...common,
        ...none,
        extent: featureCount(data) ? featuresExtent(data) : null,
        crs: system,
        columns: data.columns.length,
        rows: featureCount(data),
      };
    const band = data.bands[0]!;
    const s = summarise(band.cells, missingOf(band));
    return {
      ...common,
      extent: gridExtent(data.grid),
      crs: system,
      columns: data.grid.columns,
      rows: data.grid.rows,
      min: s.count ? s.min : null,
      max: s.count ? s.max : null,
      missing: s.missing,
      unit: band.unit,
      scalable: band.kind === 'measure',
    };
  });
}

/**
 * The layers that were chosen, with factor, offset, unit and name as decided.
 *
 * @throws HelkError `method.parameter` for a layer that is not there or a factor that makes no sense.
 */
export function applyChoices(layers: readonly Layer[], choices: readonly LayerChoice[]): Layer[] {
  return choices.map((c) => {
    const layer = layers.find((l) => l.name === c.layer);
    if (!layer) throw new HelkError('method.parameter', `There is no layer "${c.layer}" in the file.`, 'layers');
    const { factor = 1, offset = 0, unit } = c;
    if (!Number.isFinite(factor) || factor === 0 || !Number.isFinite(offset))
      throw new HelkError(
        'method.parameter',
        `A factor of ${factor} and an offset of ${offset} make no values.`,
        'factor',
      );
    const name = c.name?.trim() || layer.name;
    if (layer.data.kind !== 'raster' || (factor === 1 && offset === 0 && unit === undefined)) return { ...layer, name };
    const bands = layer.data.bands.map((b) =>
      b.kind === 'measure'
        ? factor === 1 && offset === 0
          ? { ...b, unit: unit ?? b.unit }
          : rescaleBand(b, factor, offset, unit)
        : b,
    );
    const notes: Note[] =
      factor === 1 && offset === 0
        ? layer.notes
        : [
            ...layer.notes.filter((n) => n.code !== 'netcdf.down'),
            {
              level: 'info',
              code: 'import.rescaled',
              message: `Values were taken times ${factor}${offset ? ` plus ${offset}` : ''} on the way in.`,
            },
          ];
    return { ...layer, name, notes, data: { ...layer.data, bands } };
  });
}
