import * as z from 'zod';
import { HelkError } from '../../errors';
import { plural } from '../../data/check';
import {
  metresOfHeight,
  placesOf,
  pointCount,
  pointValues,
  takePoints,
  type Cloud,
  type CloudAttribute,
} from '../../data/cloud';
import { findDoubled } from '../../data/cloud-facts';
import { sameCrs, transformer } from '../../data/crs';
import { room } from '../../data/room';
import { defineMethod, input, output, shown } from '../../method/define';
import { choice } from '../../method/params';

export const merge = defineMethod({
  id: 'cloud.merge',
  version: 1,
  title: 'Put clouds together',
  question: 'How do several clouds become one?',
  about:
    'The points of all clouds, one after the other, in the system and with the scale of the first. An attribute that a cloud lacks is 0 for its points. Points that lie exactly where an earlier one lies are counted, and left out on request.',
  keywords: ['merge', 'mosaic of tiles', 'join clouds', 'append', 'combine'],
  sources: ['common practice, no source'],
  inputs: { clouds: { ...input.clouds({ label: 'Clouds' }), least: 2 } },
  params: z.object({
    doubled: choice({ keep: 'keep them', drop: 'keep the first' }, { label: 'Points in the same place' }).default(
      'keep',
    ),
  }),
  outputs: { merged: shown(output.cloud('Clouds together', 'merged'), { like: 'clouds' }) },
  figures: { points: { label: 'Points' }, doubled: { label: 'In the place of another' } },
  checks: ({ clouds }) =>
    clouds.some((c) => !c.crs) && clouds.some((c) => c.crs)
      ? [
          {
            level: 'look',
            code: 'crs.missing',
            about: 'clouds',
            message: 'The system of some clouds is not known; they are taken to lie in that of the first.',
          },
        ]
      : [],
  estimate: ({ clouds }) => {
    const n = clouds.reduce((s, c) => s + c.count, 0);
    return { cells: n, bytes: n * 80, seconds: n / 5e6 };
  },
  run: ({ clouds }, p, job) => {
    const first = clouds[0]!;
    const total = clouds.reduce((s, c) => s + pointCount(c), 0);
    const out: Cloud = {
      ...first,
      x: room(Int32Array, total),
      y: room(Int32Array, total),
      z: room(Int32Array, total),
      attributes: attributesOf(clouds, total),
    };
    let from = 0;
    clouds.forEach((c, k) => {
      job.progress(k / clouds.length, 'putting together');
      placeInto(out, c, from, clouds.length);
      from += pointCount(c);
    });
    const again = new Uint8Array(total);
    const doubled = findDoubled(out, (i) => (again[i] = 1));
    if (doubled)
      job.note(
        'look',
        'points.doubled',
        `${plural(doubled, 'point')} lie exactly where another lies: do the clouds overlap?`,
      );
    if (p.doubled === 'keep' || !doubled) return { merged: out, figures: { points: total, doubled } };
    const rows = new Uint32Array(total - doubled);
    let m = 0;
    for (let i = 0; i < total; i++) if (!again[i]) rows[m++] = i;
    return { merged: takePoints(out, rows), figures: { points: rows.length, doubled } };
  },
});

/** The attributes that any cloud has, values one after the other. Types that differ become doubles. */
function attributesOf(clouds: readonly Cloud[], total: number): CloudAttribute[] {
  const names = [...new Set(clouds.flatMap((c) => c.attributes.map((a) => a.name)))];
  return names.map((name) => {
    const of = clouds.map((c) => c.attributes.find((a) => a.name === name));
    const there = of.filter((a) => a !== undefined);
    const type = there.every((a) => a.type === there[0]!.type) ? there[0]!.type : 'float64';
    const values = pointValues(type, total);
    let from = 0;
    clouds.forEach((c, k) => {
      if (of[k]) values.set(of[k].values as never, from);
      from += pointCount(c);
    });
    return { name, type, unit: there[0]!.unit, values };
  });
}

/** Puts the places of a cloud into another's whole numbers. @throws HelkError `method.input` where they do not fit */
function placeInto(out: Cloud, c: Cloud, from: number, many: number): void {
  const same = !c.crs || !out.crs || sameCrs(c.crs, out.crs);
  const equal = (a: readonly number[], b: readonly number[]): boolean => a.every((v, k) => v === b[k]);
  if (same && equal(c.scale, out.scale) && equal(c.offset, out.offset) && c.heightUnit === out.heightUnit) {
    out.x.set(c.x, from);
    out.y.set(c.y, from);
    out.z.set(c.z, from);
    return;
  }
  const at = placesOf(c);
  const to = same ? null : transformer(c.crs!, out.crs!);
  const rise = metresOfHeight(c.heightUnit) / metresOfHeight(out.heightUnit);
  const pair = [0, 0];
  for (let i = 0; i < c.x.length; i++) {
    let [x, y] = [at.x[i]!, at.y[i]!];
    if (to) {
      to(x, y, pair);
      [x, y] = pair as [number, number];
    }
    const u = Math.round((x - out.offset[0]) / out.scale[0]);
    const v = Math.round((y - out.offset[1]) / out.scale[1]);
    const w = Math.round((at.z[i]! * rise - out.offset[2]) / out.scale[2]);
    if (!(Math.abs(u) < 2 ** 31 && Math.abs(v) < 2 ** 31 && Math.abs(w) < 2 ** 31))
      throw new HelkError(
        'method.input',
        `The ${many} clouds lie too far apart for the scale of the first (${out.scale.join(', ')}).`,
        'clouds',
      );
    out.x[from + i] = u;
    out.y[from + i] = v;
    out.z[from + i] = w;
  }
}
