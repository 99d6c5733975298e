import {
  displayUnit,
  extentOf,
  featureArea,
  featureCount,
  featureLength,
  formatNumber,
  metresPerDegree,
  PLAIN_VECTOR,
  symbolsOf,
  systemOf,
  transformer,
  valueOf,
  withUnit,
  type Crs,
  type Extent,
  type Features,
  type FeaturesInfo,
  type Symbols,
  type VectorStyle,
} from '@helk/core';
import { own } from '@helk/core/data/own';
import { isInside } from '@helk/core/numeric/inside';
import { VectorDrawn } from '../draw/vectors';
import { isDark, onPaper, symbolsOnPaper } from '../draw/theme';
import type { ClientKind, Place, Reading } from './kind';
import { NO_LEGEND, UNPLACED } from './legend';
import { rowWords } from './rows';

const MOST_LISTED = 12;
const MANY_AREAS = 2000;
/** Rings of a small picture. */
const MOST_RINGS = 5000;

/** A way of drawing so far as the columns are there; `*` stands for anything in a name: the first column that begins so, or else the last that fits. */
function fitted(wish: Partial<VectorStyle>, info: FeaturesInfo): Partial<VectorStyle> {
  const named = (name: string): string | undefined => {
    const bare = name.replaceAll('*', '');
    if (!name.startsWith('*'))
      return info.columns.find((c) => (name.endsWith('*') ? c.name.startsWith(bare) : c.name === name))?.name;
    const last = info.columns.findLast((c) => c.name.includes(bare))?.name;
    // Of several that one run made, as one a distance, the first.
    const stem = last && name.endsWith('*') && last.slice(0, last.lastIndexOf(bare) + bare.length + 1);
    return stem && stem !== last ? info.columns.find((c) => c.name.startsWith(stem))?.name : last;
  };
  const out = { ...wish };
  if (out.by && out.by.kind !== 'one') {
    const column = named(out.by.column);
    if (column) out.by = { ...out.by, column };
    else delete out.by;
  }
  if (out.size) {
    const column = named(out.size.column);
    if (column) out.size = { ...out.size, column };
    else delete out.size;
  }
  if (out.emphasis && !named(out.emphasis)) delete out.emphasis;
  if (out.label && !named(out.label.formula)) delete out.label;
  return out;
}

/** Areas of a text that names classes are coloured by it. */
function byClass(info: FeaturesInfo): Partial<VectorStyle> {
  const kind = info.columns.find(
    (c) => c.type === 'text' && /^(class|cover|land_?cover|category|kind|type)\w*$/i.test(c.name),
  );
  return info.geometry === 'polygon' && kind
    ? { by: { kind: 'category', column: kind.name, colours: {} }, fill: 0.85, width: 0.6, outline: '#6a6258' }
    : {};
}

/** Columns that say how high something is, where nobody has chosen another. */
const HEIGHTS = /^(height|ridge|hoehe|tree_?height|building_?height)$/i;

/** The column that lifts features: the one that was chosen, else one that is named like it; null where they lie on the ground. */
export function liftColumn(info: FeaturesInfo, chosen: string | undefined): string | null {
  const all = info.columns.filter((c) => c.type === 'number').map((c) => c.name);
  if (chosen !== undefined) return all.includes(chosen) ? chosen : null;
  return info.geometry === 'line' ? null : (all.find((n) => HEIGHTS.test(n)) ?? null);
}

const shapeOf = (info: FeaturesInfo): 'area' | 'line' | 'point' =>
  info.geometry === 'polygon' ? 'area' : info.geometry;

/** Features as a small picture within an extent of their system. */
export function drawSmall(canvas: HTMLCanvasElement, f: Features, e: Extent, look: VectorStyle): void {
  const flat = f.crs?.geographic ? metresPerDegree((e[1] + e[3]) / 2) : [1, 1];
  const k = Math.min(
    (canvas.width - 10) / Math.max(1e-12, (e[2] - e[0]) * flat[0]!),
    (canvas.height - 10) / Math.max(1e-12, (e[3] - e[1]) * flat[1]!),
  );
  const g = canvas.getContext('2d')!;
  g.clearRect(0, 0, canvas.width, canvas.height);
  g.lineWidth = f.geometry === 'polygon' ? 0.8 : 1.5;
  const dark = isDark();
  const edge = f.geometry === 'polygon' && look.outline ? onPaper(look.outline, dark) : null;
  const symbols = symbolsOnPaper(symbolsOf({ ...look, label: null }, f), dark);
  const solid = look.by.kind !== 'one';
  // The feature of each ring, for its colour.
  const feature = new Uint32Array(f.ringOffsets.length);
  for (let i = 0; i + 1 < f.featureOffsets.length; i++)
    feature.fill(i, f.partOffsets[f.featureOffsets[i]!], f.partOffsets[f.featureOffsets[i + 1]!]);
  for (let r = 0; r < Math.min(MOST_RINGS, f.ringOffsets.length - 1); r++) {
    const colour = symbols.colours[symbols.index[feature[r]!]!]!;
    g.strokeStyle = edge ?? colour;
    g.fillStyle = solid || edge ? colour : `${colour}40`;
    g.beginPath();
    for (let i = f.ringOffsets[r]!; i < f.ringOffsets[r + 1]!; i++) {
      const x = canvas.width / 2 + (f.xy[2 * i]! - (e[0] + e[2]) / 2) * flat[0]! * k;
      const y = canvas.height / 2 - (f.xy[2 * i + 1]! - (e[1] + e[3]) / 2) * flat[1]! * k;
      if (f.geometry === 'point') g.rect(x - 1.5, y - 1.5, 3, 3);
      else g.lineTo(x, y);
    }
    g.stroke();
    if (f.geometry === 'polygon') g.fill();
  }
}

/** The first area that holds a place of a system; -1 where none does. O(corners) */
export function areaAt(f: Features, place: Place, crs: Crs): number {
  const at = [place.x, place.y];
  transformer(crs, f.crs ?? crs)(place.x, place.y, at);
  for (let i = 0; i < featureCount(f); i++) if (isInside(f, i, at[0]!, at[1]!)) return i;
  return -1;
}

/** Areas that are filled so much that nothing is seen through them. */
export const hiding = (geometry: string, { fill, opacity }: VectorStyle): boolean =>
  geometry === 'polygon' && fill * opacity > 0.5;

export const features: ClientKind<'features', VectorStyle> = {
  kind: 'features',
  goes: 'on top',
  swipes: false,

  hides: (info, look) => hiding(info.geometry, look),
  look: (info, shows, colour) => ({
    ...PLAIN_VECTOR,
    colour,
    ...(shows?.features ? fitted(shows.features, info) : byClass(info)),
    // Outlines of very many areas would hide them; in their own colours no seam is seen between them.
    ...(info.geometry === 'polygon' && info.count > MANY_AREAS && shows?.features?.outline
      ? { outline: null, width: 0.6 }
      : {}),
  }),
  colour: (look) => (look.by.kind === 'one' ? look.colour : null),
  recoloured: (look, colour) => ({ ...look, colour }),
  alike: () => false,

  async thumbnail(canvas, item, look, { data }, signal, frame) {
    const e = frame ?? extentOf(item.info);
    const f = await data.get(item.id);
    if (f.kind === 'features' && !signal.aborted && e) drawSmall(canvas, f, e, look);
  },

  driver: (made) => new VectorDrawn(made),
  body(info, chosen) {
    const lift = liftColumn(info, chosen);
    if (!lift) return null;
    return { lift, load: () => import('../scene/feature-body').then((m) => (made) => new m.FeatureBody(made)) };
  },

  legend({ item, look, symbols, all }) {
    const info = item.info as FeaturesInfo;
    const s = symbols as Symbols | null;
    const shape = shapeOf(info);
    const { by } = look;
    const listed = (s?.legend ?? []).slice(0, all ? undefined : MOST_LISTED);
    const plain = listed.length === 0;
    const unit = s?.unit ?? (by.kind === 'one' ? null : info.columns.find((c) => c.name === by.column)?.unit);
    return {
      ...NO_LEGEND,
      title: by.kind === 'one' ? item.name : `${item.name}: ${withUnit(by.column, unit)}`,
      mark: plain
        ? {
            shape,
            // The colours of the raster below are told by its own key.
            colour:
              by.kind === 'raster'
                ? (s?.colours[s.colours.length >> 1] ?? look.colour)
                : shape === 'area'
                  ? faded(look)
                  : look.colour,
            outline: look.outline ?? look.colour,
          }
        : null,
      entries: listed.map((e) => ({
        shape,
        colour: e.colour,
        ...(look.outline && shape !== 'line' ? { outline: look.outline } : {}),
        text: e.text,
        count: e.count,
      })),
      more: (s?.legend.length ?? 0) - listed.length,
      notes: [
        ...(by.kind === 'raster' ? ['in the colours of the raster below'] : []),
        ...(look.size ? [`${shape === 'point' ? 'size' : 'width'} by ${look.size.column}`] : []),
      ],
      warnings: [...(systemOf(info) ? [] : [UNPLACED]), ...(s?.problem ? [s.problem] : [])],
      picks: true,
      numeric: by.kind === 'classes',
    };
  },
  pickEntry({ item, symbols }, entry, { picks }) {
    const s = symbols as Symbols | null;
    const chosen = s?.legend[entry];
    if (!s || !chosen) return;
    const k = s.colours.indexOf(chosen.colour);
    picks.pick(
      item.id,
      Uint8Array.from(s.index, (v) => (v === k ? 1 : 0)),
    );
  },

  editor: () => import('../pane/vector-editor').then((m) => m.VectorEditor),

  /** The area at a place: the column it is coloured by, else its first text, else its number. */
  async readout(item, look, place, crs, tools) {
    if ((item.info as FeaturesInfo).geometry !== 'polygon') return [];
    const f = await tools.data.get(item.id);
    if (f.kind !== 'features') return [];
    const i = areaAt(f, place, crs);
    if (i < 0) return [{ of: '', value: 'outside', unit: '', drawn: true, there: false }];
    const { by } = look;
    const c =
      f.columns.find((x) => by.kind !== 'one' && x.name === by.column) ?? f.columns.find((x) => x.type === 'text');
    const raw = c ? valueOf(c, i) : `no. ${i + 1}`;
    // A category that has a name is called by it.
    const v = (by.kind === 'category' && by.column === c?.name && own(by.labels ?? {}, String(raw))) || raw;
    // What its method says is worth telling beside.
    const beside = (tools.shows(item)?.tells ?? []).flatMap((name): Reading[] => {
      const o = f.columns.findLast((x) => x.name === name);
      const x = o && valueOf(o, i);
      if (!o || o === c || typeof x !== 'number') return [];
      return [{ of: name, value: formatNumber(x, Math.abs(x)), unit: displayUnit(o.unit), drawn: false, there: true }];
    });
    return [
      {
        of: '',
        value: v === null ? 'missing' : typeof v === 'number' ? formatNumber(v, 100) : String(v),
        unit: v === null ? '' : displayUnit(c?.unit),
        drawn: true,
        there: true,
      },
      ...beside,
    ];
  },

  told(item, tools) {
    const words = rowWords(item, tools);
    const picked = tools.picks.of(item.id);
    const f = tools.data.features(item.id);
    const total = words && picked && f ? totalOf(f, picked) : '';
    return total ? `${words} · ${total}` : words;
  },
};

const faded = (look: VectorStyle): string =>
  look.colour +
  Math.round(Math.max(0.12, look.fill) * 255)
    .toString(16)
    .padStart(2, '0');

/** How much the picked ones are together: their area, or length. */
function totalOf(f: Features, picked: Uint8Array): string {
  if (f.geometry === 'point') return '';
  let sum = 0;
  for (let i = 0; i < picked.length; i++)
    if (picked[i]) sum += f.geometry === 'polygon' ? featureArea(f, i) : featureLength(f, i);
  if (f.geometry === 'polygon')
    return sum >= 1e7 ? `${formatNumber(sum / 1e6, 10)} km²` : `${formatNumber(sum / 1e4, 10)} ha`;
  return `${formatNumber(sum / 1000, 10)} km`;
}
