import {
  defaultStyle,
  displayUnit,
  formatNumber,
  gridExtent,
  scaleOf,
  systemOf,
  unitFactor,
  unitsOf,
  type Crs,
  type RasterInfo,
  type RasterStyle,
  type Scale,
} from '@helk/core';
import { colourTable } from '@helk/core/render/paint';
import { rampColoursOf } from '../draw/ramps';
import { drawnBand } from '../draw/messages';
import { RasterLayer } from '../draw/layers';
import { roundTo } from '../parts/round';
import { drawnOf, mixedOf, paintedBy, type Mixed } from './drawn';
import { rangeWords } from './range-words';
import { stretchedTo } from './stretched';
import type { ClientKind } from './kind';
import { NO_LEGEND, UNPLACED, type Legend } from './legend';

/** Bands that mean something else than others of their unit, and never share a scale with them. */
const OWN_SCALE = new Set(['hillshade', 'aspect', 'error', 'difference']);
/** Classes that a key lists. */
const MOST_LISTED = 12;
/** Red, green and blue. */
const PRIMARIES = ['#d62f2f', '#2f9e3f', '#2f56d6'];

/** What a channel shows, and between which values: `nir 120 to 4 200`. */
function channelText({ info, limits: [low, high] }: Mixed): string {
  const [a, b] = [low, high].map((v) => formatNumber(v, high - low));
  return `${info.name} ${a} to ${b}${info.unit ? ` ${displayUnit(info.unit)}` : ''}`;
}

/** In a system that nobody knows. */
const NOWHERE: Crs = { code: null, name: '', proj4: '', geographic: false, unit: 'm' };

export const raster: ClientKind<'raster', RasterStyle> = {
  kind: 'raster',
  goes: 'beneath',
  swipes: true,

  look: (info) => defaultStyle(info),
  colour: () => null,
  recoloured: (look) => look,
  alike: (a, b) => a.bands[0]!.unit === b.bands[0]!.unit && a.bands[0]!.role === b.bands[0]!.role,
  scale(info, look) {
    const { band } = drawnOf(info, look);
    if (mixedOf(info, look) || !band.facts || band.facts.summary.count === 0) return null;
    const role = band.role ?? '';
    return {
      scale: scaleOf(look, band.facts, band),
      group: `${band.unit ?? ''}|${OWN_SCALE.has(role) ? role : ''}`,
    };
  },

  between: (look, low, high) => ({ ...look, stretch: { kind: 'own', low, high } }),

  async thumbnail(canvas, item, look, { drawing, project }, signal, frame) {
    const info = item.info as RasterInfo;
    await drawing.first;
    const painted = paintedBy(
      project(),
      item.id,
      info,
      look.relief ? { ...look, relief: { ...look.relief, zFactor: 3 } } : look,
    );
    if (signal.aborted || !painted) return;
    const e = frame ?? gridExtent(info.grid);
    // Square in cells: a plain picture of the whole.
    const resolution = Math.max((e[2] - e[0]) / canvas.width, (e[3] - e[1]) / canvas.height);
    const image = await drawing.tile(
      {
        kind: 'tile',
        ...painted,
        crs: info.grid.crs ?? NOWHERE,
        x: (e[0] + e[2] - canvas.width * resolution) / 2,
        y: (e[1] + e[3] + canvas.height * resolution) / 2,
        resolution,
        width: canvas.width,
        height: canvas.height,
        missing: null,
        coarse: 1,
        gaps: [],
        pick: null,
      },
      signal,
    );
    if (!image || signal.aborted) return;
    const g = canvas.getContext('2d')!;
    g.clearRect(0, 0, canvas.width, canvas.height);
    g.drawImage(image, 0, 0);
  },

  driver: (made) => new RasterLayer(made),
  ground(info, look) {
    const { band, index } = drawnOf(info, look);
    const metres = unitFactor(band.unit);
    const heights = band.role === 'elevation' || (band.unit !== null && (band.role ?? '') === '');
    return band.kind === 'measure' && heights && metres !== undefined && unitsOf('length').includes(band.unit!)
      ? { band: index, metres }
      : null;
  },
  unlit: (look) => ({ ...look, relief: null }),

  legend({ item, look, scale, shared, all }) {
    const info = item.info as RasterInfo;
    const { band } = drawnOf(info, look);
    const notes: string[] = [];
    const several = info.bands.length > 1 ? `${item.name}: ${band.name}` : item.name;
    const legend: Legend = {
      ...NO_LEGEND,
      title: several,
      warnings: systemOf(info) ? [] : [UNPLACED],
      missing:
        look.showMissing && band.facts && band.facts.enclosedCells > 0
          ? `missing inside: ${formatNumber(band.facts.enclosedCells)} cells`
          : null,
      notes,
    };
    const mixed = mixedOf(info, look);
    if (mixed) {
      legend.title = item.name;
      return {
        ...legend,
        numeric: true,
        entries: mixed.map((m, k) => ({ shape: 'area', colour: PRIMARIES[k]!, text: channelText(m) })),
      };
    }
    if (!scale || !band.facts) return legend;
    if (scale.classes) {
      const listed = scale.classes.slice(0, all ? undefined : MOST_LISTED);
      return {
        ...legend,
        entries: listed.map((c) => ({ shape: 'area', colour: c.colour, text: c.label })),
        more: scale.classes.length - listed.length,
      };
    }
    const { unit } = band;
    legend.title = `${several}${unit === null ? ' (unit not known)' : unit ? `, ${displayUnit(unit)}` : ''}`;
    if (shared) notes.push('shared scale');
    else if (look.stretch.kind === 'percentile')
      notes.push(`${look.stretch.cut} to ${100 - look.stretch.cut} % of the values`);
    else if (look.stretch.kind === 'sd') notes.push(`mean ± ${look.stretch.times} standard deviations`);
    const classes = classTexts(scale);
    if (classes.length) return { ...legend, numeric: true, entries: classes.map((c) => ({ shape: 'area', ...c })) };
    if (scale.breaks.length) notes.push(`${scale.breaks.length + 1} classes`);
    return {
      ...legend,
      numeric: true,
      ramp: {
        colours: rampColoursOf(scale),
        stepped: scale.breaks.length > 0,
        ticks: ticksOf(scale, band.facts.summary),
      },
    };
  },

  stretched: stretchedTo,

  editor: () => import('../pane/raster-editor').then((m) => m.RasterEditor),

  async readout(item, look, place, crs, { drawing, project }) {
    const info = item.info as RasterInfo;
    const { index } = drawnOf(info, look);
    const channels = mixedOf(info, look);
    // Every band of a scene, so that one click tells all; a hundred of them would tell nothing.
    const shown = info.bands.length <= 16 ? info.bands.map((_, k) => k) : [index];
    return Promise.all(
      shown.map(async (k) => {
        const band = info.bands[k]!;
        const { value: v } = await drawing.value({
          kind: 'value',
          source: drawnBand(project(), item.id, info, k),
          crs,
          ...place,
        });
        return {
          of: info.bands.length > 1 ? band.name : '',
          value: v === null ? 'outside' : v !== v ? 'missing' : (classLabel(band, v) ?? formatNumber(v, 100)),
          unit: v === null || v !== v ? '' : displayUnit(band.unit),
          drawn: channels ? channels.some((c) => c.band === k) : k === index,
          there: v !== null,
        };
      }),
    );
  },

  told(item, { picks }) {
    const r = picks.range();
    return r?.dataset === item.id ? rangeWords(item.info as RasterInfo, r.band, [r.low, r.high]) : '';
  },
};

/** `2 reed`, for a band of classes. */
function classLabel(band: RasterInfo['bands'][number], value: number): string | null {
  const c = band.classes?.find((x) => x.value === value);
  return c ? (c.label === String(value) ? c.label : `${value} ${c.label}`) : null;
}

/** Lowest, middle and highest value of a scale, marked where values lie beyond. */
function ticksOf({ low, high }: Scale, s: { min: number; max: number }): string[] {
  const range = high - low;
  const all = [low, (low + high) / 2, high];
  return all.map(
    (v, i) =>
      (i === 0 && s.min < low ? '≤ ' : i === all.length - 1 && s.max > high ? '≥ ' : '') +
      formatNumber(roundTo(v, range), range),
  );
}

/** Up to seven classes are listed one by one; more are read off the stepped ramp. */
function classTexts(scale: Scale): { colour: string; text: string }[] {
  const { low, high, breaks } = scale;
  if (!breaks.length || breaks.length > 6) return [];
  const { table } = colourTable(scale);
  const ends = [low, ...breaks, high];
  const text = (v: number): string => formatNumber(roundTo(v, high - low), high - low);
  return ends.slice(1).map((to, i) => ({
    colour: `rgb(${table[3 * i]},${table[3 * i + 1]},${table[3 * i + 2]})`,
    text: `${text(ends[i]!)} to ${text(to)}`,
  }));
}
