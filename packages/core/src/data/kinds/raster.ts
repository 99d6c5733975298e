import * as z from 'zod';
import { HelkError } from '../../errors';
import { geoKeysOf } from '../../formats/geokeys-write';
import { untold, type WriteFormat } from '../../formats/write-formats';
import { rasterLook } from '../../render/look-shapes';
import { Summariser } from '../../numeric/statistics';
import { MOST_CLASSES, parted, type BandDetail } from '../band-facts';
import { isWide } from '../cells';
import type { Note } from '../check';
import { parseCrs, systemBrief } from '../crs';
import type { RasterHandle } from '../handle';
import { eachInfinite } from '../infinite';
import { band, bandDetail, grid } from '../info-shapes';
import { formatNumber } from '../number-words';
import { displayUnit } from '../quantity';
import {
  cellMetres,
  gridExtent,
  headFlaw,
  missingOf,
  MISSING_CLASS,
  type BandInfo,
  type Raster,
  type RasterInfo,
} from '../raster';
import { cellText, rasterChecks } from '../raster-checks';
import {
  BandsOf,
  BLOCK_ROWS,
  MappedRaster,
  MemoryRaster,
  MemorySink,
  rescaledCells,
  rescaledInfo,
  studyRaster,
} from '../raster-handles';
import { packRaster, RasterPacker, StoredRaster, verifyRaster } from '../raster-store';
import { given, type Given, type KindRecord, type Rescaling, type ReviewFacts } from './kind';

/** What the values of a band are: classes, or measures in a unit. */
const valueWords = (b: BandInfo): string =>
  b.kind === 'category' ? (b.classes ? `${b.classes.length} classes` : 'classes') : (b.unit ?? 'unit not known');

/** Sets what a band is called and shows. @throws HelkError `request.invalid` for a name that another band has */
function giveBand(bands: RasterInfo['bands'], by: Given): void {
  const b = bands[by.band ?? 0];
  if (!b && by.band !== undefined)
    throw new HelkError('request.invalid', `There is no band ${by.band + 1}; there are ${bands.length}.`, 'band');
  if (!b) return;
  if (by.bandName !== undefined) {
    if (bands.some((o) => o !== b && o.name === by.bandName))
      throw new HelkError('request.invalid', `Another band is called "${by.bandName}" already.`, 'bandName');
    b.name = by.bandName;
  }
  if (by.role !== undefined) {
    if (by.role === null) delete b.role;
    else b.role = by.role;
  }
  if (by.wavelength !== undefined) {
    if (by.wavelength === null) delete b.wavelength;
    else b.wavelength = by.wavelength;
  }
}

/** Bands of cells on a grid. */
export const raster: KindRecord<'raster', Raster, RasterInfo, RasterHandle> = {
  kind: 'raster',
  words: { one: 'raster', many: 'rasters' },
  placed: true,
  shape: z.object({ kind: z.literal('raster'), grid, bands: z.array(band).min(1).max(10_000) }),
  detailShape: z.object({ bands: z.array(bandDetail) }),
  lookShape: rasterLook,

  info: (d) => new MemoryRaster(d).info,
  study: studyRaster,
  part: (info) => {
    const parts = info.bands.map((b) => (b.facts ? parted(b.facts) : null));
    return {
      info: { ...info, bands: info.bands.map((b, k) => ({ ...b, ...(parts[k] ? { facts: parts[k].brief } : {}) })) },
      detail: { bands: parts.map((p) => p?.detail ?? {}) },
    };
  },
  join: (info, detail) => {
    const parts = (detail as { bands: Partial<BandDetail>[] } | null)?.bands;
    if (!parts) return info;
    return { ...info, bands: info.bands.map((b, k) => (b.facts ? { ...b, facts: { ...b.facts, ...parts[k] } } : b)) };
  },
  upgrade: (
    old: Omit<RasterInfo, 'bands'> & { bands: (RasterInfo['bands'][number] & { cellType?: 'float32' | 'float64' })[] },
  ) => ({
    ...old,
    bands: old.bands.map(({ cellType, ...b }) => ({
      ...b,
      held:
        b.held ??
        (b.kind === 'category'
          ? { type: 'int32' as const, missing: MISSING_CLASS }
          : { type: cellType ?? ('float32' as const), missing: null }),
    })),
  }),

  system: (info) => info.grid.crs,
  extent: (info) => gridExtent(info.grid),
  // A grid may reach half a cell beyond the poles.
  grain: (info) => info.grid.dy,
  unit: (info) => info.bands[0]?.unit ?? null,
  lacksUnit: (info) => info.bands[0]!.unit === null && info.bands[0]!.kind === 'measure',
  summary: (info) =>
    ['raster', info.bands.length > 1 ? `${info.bands.length} bands` : valueWords(info.bands[0]!), cellText(info)]
      .filter(Boolean)
      .join(' · '),
  make: (info) => ['raster', info.bands.map((b) => [b.kind, b.unit])],
  arrival: ({ grid: g, bands }) => {
    const s = bands[0]!.facts!.summary;
    const range = s.max - s.min;
    return [
      `${formatNumber(g.columns)} × ${formatNumber(g.rows)} cells`,
      `${formatNumber(s.min, range)} to ${formatNumber(s.max, range)} ${bands[0]!.unit ?? ''}`.trim(),
    ];
  },
  details: (info) => {
    const e = gridExtent(info.grid);
    const digits = info.grid.crs?.geographic ? 6 : 1;
    return [
      {
        name: 'Size',
        value: `${formatNumber(info.grid.columns)} × ${formatNumber(info.grid.rows)} cells of ${cellText(info)}`,
      },
      { name: 'West, south', value: `${e[0].toFixed(digits)}, ${e[1].toFixed(digits)}` },
      { name: 'East, north', value: `${e[2].toFixed(digits)}, ${e[3].toFixed(digits)}` },
      ...info.bands.flatMap((b) => {
        const f = b.facts!.summary;
        const unit = b.unit === null ? (b.kind === 'category' ? '' : ' (unit not known)') : ` ${displayUnit(b.unit)}`;
        const text = (v: number): string => formatNumber(v, f.max - f.min);
        return [
          {
            name: info.bands.length > 1 ? b.name : 'Values',
            value: `${text(f.min)} to ${text(f.max)}${unit}, mean ${text(f.mean)}, ${b.storedType}`,
          },
          {
            name: 'Missing',
            value: `${formatNumber(f.missing)} cells, ${formatNumber(b.facts!.enclosedCells)} of them inside the data${b.missingCode === null ? '' : ` (code ${b.missingCode})`}`,
          },
        ];
      }),
    ];
  },
  checks: rasterChecks,
  doubts: (info) => rasterChecks(info).filter((c) => c.code === 'band.suspectCode'),
  give: (info, by) => {
    const out: RasterInfo = { ...info, bands: info.bands.map((b) => ({ ...b })) };
    if (by.crs !== undefined) out.grid = { ...info.grid, crs: parseCrs(by.crs) };
    if (by.unit !== undefined)
      for (const b of out.bands) {
        if (b.unit && !by.unitByHand) throw given('unit');
        b.unit = by.unit || null;
      }
    if (by.classes) {
      const b = out.bands[by.band ?? 0];
      if (b?.kind !== 'category')
        throw new HelkError('request.invalid', 'Only a raster of classes has class names and colours.', 'classes');
      b.classes = by.classes;
    }
    giveBand(out.bands, by);
    return out;
  },
  bands: (info) => info.bands.map((b) => b.name),
  pickInfo: (info, k) => ({ ...info, bands: [info.bands[k]!] }),
  pick: (handle, k) => new BandsOf(handle, [k]),
  misfit: ({ bands: [b] }, { band: wanted }) =>
    wanted === 'measure' && b?.kind === 'category' && b.classes
      ? 'measured values are wanted, these are classes.'
      : wanted === 'category' && b?.kind === 'measure' && (b.facts?.distinct ?? 0) >= MOST_CLASSES
        ? `classes are wanted, these are measured values, ${MOST_CLASSES} different ones or more; recode them into classes first.`
        : null,
  inspect: ({ grid: g, bands }) => ({
    crs: systemBrief(g.crs),
    extent: gridExtent(g),
    columns: g.columns,
    rows: g.rows,
    cellSize: [g.dx, g.dy],
    cellSizeMetres: g.crs ? cellMetres(g, g.rows >> 1) : null,
    bands: bands.map((b) => {
      const { count: n, missing, min, max, mean, sd } = b.facts!.summary;
      return {
        name: b.name,
        kind: b.kind,
        unit: b.unit,
        type: b.storedType,
        missingCode: b.missingCode,
        count: n,
        missing,
        enclosedCells: b.facts!.enclosedCells,
        min,
        max,
        mean,
        sd,
      };
    }),
  }),

  heldBytes: ({ grid: g, bands }) =>
    bands.reduce((s, b) => s + (b.kind === 'measure' && isWide(b.held?.type ?? b.storedType) ? 8 : 4), 0) *
    g.columns *
    g.rows,
  flaw: (d) => {
    const n = d.grid.columns * d.grid.rows;
    const wrong = d.bands.find((b) => b.cells.length !== n);
    return headFlaw(d) ?? (wrong ? `its band "${wrong.name}" has ${wrong.cells.length} cells, not ${n}` : null);
  },
  tame: ({ bands }) =>
    bands.reduce((n, b) => n + (b.kind === 'measure' ? eachInfinite(b.cells, () => undefined) : 0), 0),

  review,
  rescaled,

  wrap: (d) => new MemoryRaster(d),
  open: (info, store) => new StoredRaster(info, store),
  collect: (head) => {
    const sink = new MemorySink(head);
    return { sink, end: () => Promise.resolve(sink.end()) };
  },
  collectInto: (head, store) => {
    const sink = new RasterPacker(head.grid, head.bands, store);
    return { sink, end: (progress) => sink.end(null, progress) };
  },
  pack: packRaster,
  verify: verifyRaster,

  formats: ['geotiff', 'ascii-grid'],
  losses,
};

async function review(handle: RasterHandle): Promise<ReviewFacts> {
  const { grid: g, bands } = handle.head;
  const b = bands[0]!;
  const summariser = new Summariser();
  for (let row = 0; row < g.rows; row += BLOCK_ROWS) {
    const cells = await handle.rows(0, row, Math.min(BLOCK_ROWS, g.rows - row));
    summariser.add(cells, 0, cells.length, missingOf(b));
  }
  const s = summariser.done();
  return {
    extent: gridExtent(g),
    crs: systemBrief(g.crs),
    columns: g.columns,
    rows: g.rows,
    min: s.count ? s.min : null,
    max: s.count ? s.max : null,
    missing: s.missing,
    unit: b.unit,
    scalable: b.kind === 'measure',
  };
}

function rescaled(handle: RasterHandle, { factor, offset, unit }: Rescaling): { handle: RasterHandle; notes: Note[] } {
  const same = factor === 1 && offset === 0;
  if (same && unit === undefined) return { handle, notes: [] };
  const bands = handle.head.bands.map((b) =>
    b.kind !== 'measure' ? b : same ? { ...b, unit: unit ?? b.unit } : rescaledInfo(b, factor, offset, unit),
  );
  const head: RasterInfo = { ...handle.head, bands };
  return {
    handle: new MappedRaster(handle, head, (cells, k) =>
      same || bands[k]!.kind !== 'measure' ? cells : rescaledCells(cells, factor, offset),
    ),
    notes: same
      ? []
      : [
          {
            level: 'info',
            code: 'import.rescaled',
            message: `Values were taken times ${factor}${offset ? ` plus ${offset}` : ''} on the way in.`,
          },
        ],
  };
}

function losses({ grid: g, bands }: RasterInfo, format: WriteFormat): string[] {
  if (format === 'geotiff') return g.crs && !geoKeysOf(g.crs) ? [untold(g.crs)] : [];
  const out: string[] = [];
  if (bands.length > 1) out.push(`Only the first of ${bands.length} bands is written, ${bands[0]!.name}.`);
  if (g.crs) out.push(`The coordinate system (${g.crs.code ?? g.crs.name}) is not written into the file.`);
  if (bands[0]!.unit) out.push('The unit of the values is not written.');
  if (bands[0]!.classes?.length) out.push('Names and colours of the classes are not written.');
  return out;
}
