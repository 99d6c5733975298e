import * as z from 'zod';
import { lasLosses } from '../../formats/las-write';
import { cloudLook } from '../../render/cloud-style';
import { className, cloudFlaw, type Cloud, type CloudInfo } from '../cloud';
import { cloudChecks } from '../cloud-checks';
import { cloudInfo } from '../cloud-facts';
import {
  cloudHeldBytes,
  FileCloud,
  MemoryCloud,
  packCloud,
  StoredCloud,
  verifyCloud,
  type CloudHandle,
} from '../cloud-store';
import { parseCrs, systemBrief } from '../crs';
import { count, crs, text } from '../info-shapes';
import { formatNumber } from '../number-words';
import { onlyPlace, type KindRecord } from './kind';

const three = z.tuple([z.number(), z.number(), z.number()]);
const type = z.enum(['int8', 'uint8', 'int16', 'uint16', 'int32', 'uint32', 'float32', 'float64']);

/** A length in the units of the coordinates, as people say it. */
const spacingText = (info: CloudInfo): string =>
  info.spacing === null
    ? ''
    : `${Number(info.spacing.toPrecision(2))} ${info.crs ? info.crs.unit : ''}`.trim() + ' apart';

/** Points with heights and attributes. */
export const cloud: KindRecord<'cloud', Cloud, CloudInfo, CloudHandle> = {
  kind: 'cloud',
  words: { one: 'point cloud', many: 'point clouds' },
  placed: true,
  shape: z.object({
    kind: z.literal('cloud'),
    crs: crs.nullable(),
    heightUnit: z.enum(['m', 'ft', 'us-ft']),
    scale: three,
    offset: three,
    count,
    extent: z.tuple([z.number(), z.number(), z.number(), z.number()]).nullable(),
    heights: z.object({ min: z.number(), max: z.number(), low: z.number(), high: z.number() }).nullable(),
    covered: z.number().min(0),
    spacing: z.number().min(0).nullable(),
    classes: z
      .array(z.object({ value: z.number().int().min(0).max(255), count, zmin: z.number(), zmax: z.number() }))
      .max(256),
    attributes: z
      .array(
        z.object({
          name: text,
          type,
          unit: z.string().max(100).nullable(),
          min: z.number(),
          max: z.number(),
          low: z.number(),
          high: z.number(),
        }),
      )
      .max(1000),
    doubled: count,
  }),
  lookShape: cloudLook,

  info: cloudInfo,
  study: (handle) => (handle instanceof FileCloud ? handle.study() : Promise.resolve(handle.info)),
  part: (info) => ({ info, detail: null }),
  join: (info) => info,

  system: (info) => info.crs,
  extent: (info) => info.extent,
  unit: () => null,
  lacksUnit: () => false,
  summary: (info) =>
    ['point cloud', `${formatNumber(info.count)} points`, spacingText(info)].filter(Boolean).join(' · '),
  make: (info) => ['cloud', info.scale, info.attributes.map((a) => [a.name, a.type])],
  arrival: (info) => [
    `${formatNumber(info.count)} points${info.spacing === null ? '' : `, ${spacingText(info)}`}`,
    ...(info.heights
      ? [`heights ${formatNumber(info.heights.min, 10)} to ${formatNumber(info.heights.max, 10)} ${info.heightUnit}`]
      : []),
  ],
  details: (info) => {
    const digits = info.crs?.geographic ? 6 : 1;
    const e = info.extent;
    return [
      { name: 'Points', value: `${formatNumber(info.count)}${info.spacing === null ? '' : `, ${spacingText(info)}`}` },
      ...(e
        ? [
            { name: 'West, south', value: `${e[0].toFixed(digits)}, ${e[1].toFixed(digits)}` },
            { name: 'East, north', value: `${e[2].toFixed(digits)}, ${e[3].toFixed(digits)}` },
          ]
        : []),
      ...(info.heights
        ? [
            {
              name: 'Heights',
              value: `${formatNumber(info.heights.min, 10)} to ${formatNumber(info.heights.max, 10)} ${info.heightUnit}`,
            },
          ]
        : []),
      {
        name: 'Classes',
        value:
          info.classes.map((c) => `${className(c.value)} (${c.value}) ${formatNumber(c.count)}`).join('; ') || 'none',
      },
      { name: 'Attributes', value: info.attributes.map((a) => a.name).join(', ') || 'none' },
    ];
  },
  checks: cloudChecks,
  give: (info, by) => {
    onlyPlace(by);
    return by.crs === undefined ? info : { ...info, crs: parseCrs(by.crs) };
  },
  misfit: () => null,
  inspect: (info) => ({
    points: info.count,
    crs: systemBrief(info.crs),
    extent: info.extent,
    heightUnit: info.heightUnit,
    zmin: info.heights?.min ?? null,
    zmax: info.heights?.max ?? null,
    spacing: info.spacing,
    density: info.covered > 0 ? info.count / info.covered : null,
    doubled: info.doubled,
    classes: info.classes.map((c) => ({
      class: c.value,
      name: className(c.value),
      points: c.count,
      zmin: c.zmin,
      zmax: c.zmax,
    })),
    attributes: info.attributes.map(({ low: _l, high: _h, ...a }) => a),
  }),

  heldBytes: cloudHeldBytes,
  flaw: cloudFlaw,
  tame: () => 0,

  review: async (handle) => {
    const info = await cloud.study(handle);
    return {
      extent: info.extent,
      crs: systemBrief(info.crs),
      columns: info.attributes.length,
      rows: info.count,
      min: info.heights?.min ?? null,
      max: info.heights?.max ?? null,
      missing: 0,
      unit: info.heightUnit,
      scalable: false,
    };
  },

  wrap: (d) => new MemoryCloud(d),
  open: (info, store) => new StoredCloud(info, store),
  pack: async (handle, store, progress) => {
    const c = await handle.load((s, stage) => progress(s / 2, stage));
    const info = await cloud.study(handle);
    await packCloud(c, info, store, (s, stage) => progress(0.5 + s / 2, stage));
    return info;
  },
  verify: verifyCloud,

  formats: ['las', 'las12'],
  losses: (info, format) => lasLosses(info, format === 'las12' ? 2 : 4),
};
