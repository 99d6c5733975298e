import {
  attributeTitle,
  classColour,
  className,
  cloudRange,
  defaultCloudStyle,
  displayUnit,
  formatNumber,
  metresOfHeight,
  sameCrs,
  systemOf,
  transformer,
  type CloudInfo,
  type CloudStyle,
} from '@helk/core';
import { paintPoints, pointColours, pointPicture, shadeEdges } from '@helk/core/render/cloud-paint';
import { CloudLayer } from '../draw/cloud-layer';
import { rampColoursOf } from '../draw/ramps';
import { roundTo } from '../parts/round';
import type { ClientKind, Reading } from './kind';
import { NO_LEGEND, UNPLACED, type Legend } from './legend';

/** Spacings within which a point counts as pointed at. */
const NEAR = 2;

const NOWHERE = { code: null, name: '', proj4: '', geographic: false, unit: 'm' };

export const cloud: ClientKind<'cloud', CloudStyle> = {
  kind: 'cloud',
  goes: 'in place',
  swipes: false,

  look: (info, _shows, colour) => defaultCloudStyle(info, colour),
  colour: (look) => (look.by === 'one' ? look.colour : null),
  recoloured: (look, colour) => ({ ...look, colour }),
  alike: () => false,

  async thumbnail(canvas, item, look, { clouds, project, drawing }, signal) {
    const info = item.info as CloudInfo;
    const e = info.extent;
    await drawing.first;
    if (!e || signal.aborted) return;
    const list = await clouds.list(project(), item.id, info);
    const resolution = Math.max((e[2] - e[0]) / (canvas.width - 4), (e[3] - e[1]) / (canvas.height - 4), 1e-9);
    const picture = pointPicture(canvas.width, canvas.height);
    const west = (e[0] + e[2] - canvas.width * resolution) / 2;
    const north = (e[1] + e[3] + canvas.height * resolution) / 2;
    for (const [key, chunk] of list.chunks.entries()) {
      if (chunk.level > 0 || signal.aborted) break;
      const part = await clouds.part(project(), item.id, info, list, key, info.crs ?? NOWHERE, look);
      paintPoints(
        picture,
        part.places,
        pointColours(look, info, part.places.z, part.values),
        west,
        north,
        resolution,
        1,
      );
    }
    if (signal.aborted) return;
    shadeEdges(picture, 4);
    const image = new ImageData(
      new Uint8ClampedArray(picture.pixels.buffer as ArrayBuffer),
      canvas.width,
      canvas.height,
    );
    canvas.getContext('2d')!.putImageData(image, 0, 0);
  },

  driver: (made) => new CloudLayer(made),
  heights: ({ heights, heightUnit }) =>
    heights && [heights.low * metresOfHeight(heightUnit), heights.high * metresOfHeight(heightUnit)],
  body: () => ({
    lift: null,
    load: () => import('../scene/cloud-body').then((m) => (made) => new m.CloudBody(made)),
  }),

  legend({ item, look }) {
    const info = item.info as CloudInfo;
    const legend: Legend = { ...NO_LEGEND, title: item.name, warnings: systemOf(info) ? [] : [UNPLACED] };
    // Classes are switched on and off whatever the points are coloured by.
    const classes = info.classes.map((k) => ({
      shape: 'area' as const,
      colour: look.by === 'class' ? classColour(look, k.value) : '#8a8678',
      text: className(k.value),
      count: k.count,
      off: look.hidden.includes(k.value),
    }));
    if (look.by === 'class') return { ...legend, title: `${item.name}: class`, entries: classes, switches: true };
    const hidden = classes.filter((k) => k.off).map((k) => k.text);
    const notes = hidden.length ? [`without ${hidden.join(', ')}`] : [];
    const range = cloudRange(look, info);
    if (!range) {
      const shape = 'point' as const;
      return look.by === 'one'
        ? { ...legend, mark: { shape, colour: look.colour }, notes }
        : { ...legend, title: `${item.name}: colours of the points`, notes };
    }
    const of =
      look.by === 'height'
        ? { title: 'height', unit: info.heightUnit as string | null, all: info.heights! }
        : attributeRange(info, look.attribute);
    const [low, high] = range;
    const span = high - low;
    const ticks = [low, (low + high) / 2, high].map(
      (v, i) =>
        (i === 0 && of.all.min < low ? '≤ ' : i === 2 && of.all.max > high ? '≥ ' : '') +
        formatNumber(roundTo(v, span), span),
    );
    return {
      ...legend,
      title: `${item.name}: ${of.title}${of.unit ? `, ${displayUnit(of.unit)}` : ''}`,
      numeric: true,
      ramp: { colours: rampColoursOf({ ramp: look.ramp, reversed: look.reversed, breaks: [] }), stepped: false, ticks },
      notes,
    };
  },
  switched({ item, look }, entry) {
    const k = (item.info as CloudInfo).classes[entry]?.value;
    if (k === undefined) return null;
    return { hidden: look.hidden.includes(k) ? look.hidden.filter((h) => h !== k) : [...look.hidden, k] };
  },

  editor: () => import('../pane/cloud-editor').then((m) => m.CloudEditor),

  /** The highest point near the place, with its class and the attribute that is drawn. */
  async readout(item, look, place, crs, { clouds, project }) {
    const info = item.info as CloudInfo;
    const spacing = info.spacing;
    if (spacing === null) return [];
    const own = [place.x, place.y];
    if (info.crs && !sameCrs(info.crs, crs)) transformer(crs, info.crs)(place.x, place.y, own);
    const [x, y] = own as [number, number];
    const reach = NEAR * spacing;
    const list = await clouds.list(project(), item.id, info);
    const at = (v: number, k: 0 | 1): number => v * info.scale[k] + info.offset[k];
    let best: { key: number; i: number; z: number } | null = null;
    for (const [key, { box }] of list.chunks.entries()) {
      if (
        x < at(box[0], 0) - reach ||
        y < at(box[1], 1) - reach ||
        x > at(box[3], 0) + reach ||
        y > at(box[4], 1) + reach
      )
        continue;
      const p = await clouds.places(project(), item.id, info, list, key, info.crs ?? NOWHERE);
      const classes = look.hidden.length
        ? await clouds.values(project(), item.id, info, list, key, 'classification')
        : null;
      for (let i = 0; i < p.z.length; i++) {
        const d = Math.hypot(p.x0 + p.dx[i]! - x, p.y0 + p.dy[i]! - y);
        if (d > reach || (best && p.z[i]! <= best.z) || (classes && look.hidden.includes(classes[i]!))) continue;
        best = { key, i, z: p.z[i]! };
      }
    }
    if (!best) return [{ of: '', value: 'no point', unit: '', drawn: true, there: false }];
    const { key, i, z } = best;
    const readings: Reading[] = [
      {
        of: 'height',
        value: formatNumber(z, 100),
        unit: displayUnit(info.heightUnit),
        drawn: look.by === 'height',
        there: true,
      },
    ];
    const names = ['classification', 'heightAboveGround', 'intensity', 'returnNumber', look.attribute];
    for (const name of new Set(names)) {
      const a = info.attributes.find((o) => o.name === name);
      if (!a) continue;
      const v = (await clouds.values(project(), item.id, info, list, key, name))[i]!;
      readings.push({
        of: attributeTitle(name),
        value: name === 'classification' ? `${v} ${className(v)}` : formatNumber(v, 100),
        unit: displayUnit(a.unit),
        drawn: name === 'classification' ? look.by === 'class' : look.by === 'attribute' && name === look.attribute,
        there: true,
      });
    }
    return readings;
  },

  told: () => '',
};

function attributeRange(
  info: CloudInfo,
  name: string,
): { title: string; unit: string | null; all: { min: number; max: number } } {
  const a = info.attributes.find((o) => o.name === name)!;
  return { title: attributeTitle(name), unit: a.unit, all: a };
}
