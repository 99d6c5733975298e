import * as z from 'zod';
import { classesOf, className, placesOf, pointCount, type Cloud } from '../data/cloud';
import { MemoryCloud } from '../data/cloud-store';
import { dataOf, type Dataset } from '../data/kinds';
import { HelkError } from '../errors';
import { methodOf } from '../method/registry';
import { runOn } from '../method/run';
import { roundNear } from '../methods/raster/reproject';
import { defineGlance } from './glance';

/** Points that a window holds at most: what is tried has to answer while settings are typed. */
const MOST = 400_000;
/** Points that are told of a window, to be drawn over the map. */
const SHOWN = 40_000;
/** Spacings along a side of a window that nobody drew: some twenty thousand points. */
const SIDE = 150;

const ring = z.array(z.tuple([z.number(), z.number()]));

/** Of the classes that a cloud has in the window: how many points, and where. */
const Tally = z.object({ value: z.number(), name: z.string(), count: z.number(), xy: z.array(z.number()) });

export const tried = z.object({
  /** The window, in the cloud's system. */
  box: z.tuple([z.number(), z.number(), z.number(), z.number()]),
  /** Points in it. */
  points: z.number(),
  figures: z.record(z.string(), z.union([z.number(), z.string(), z.null()])),
  /** Outlines of areas that were made, in the cloud's system. */
  rings: z.array(ring),
  /** Classes of a cloud that was made; empty where none was. */
  classes: z.array(Tally),
});
export type Tried = z.output<typeof tried>;

export const cloudWindow = defineGlance({
  id: 'cloud.window',
  question: 'What would these settings do, in a small window?',
  inputs: { cloud: { kind: 'cloud' } },
  params: z.object({
    method: z.string().max(100),
    params: z.record(z.string().max(100), z.unknown()),
    /** What is looked at, in the cloud's system: the window lies in its middle … */
    about: z.tuple([z.number(), z.number()]).optional(),
    /** … or where somebody put it. */
    box: z.tuple([z.number(), z.number(), z.number(), z.number()]).optional(),
  }),
  answer: tried,
  run: async ({ cloud }, p, job) => {
    const method = methodOf(p.method);
    const role = method.preview?.kind === 'window' ? method.preview.input : null;
    if (!role)
      throw new HelkError('method.parameter', `method: ${method.title} cannot be tried in a window.`, 'method');
    const whole = cloud.head;
    const box = p.box ?? windowAbout(whole, p.about);
    const part = await cloud.within(box, MOST);
    if (pointCount(part) === 0) throw new HelkError('method.input', 'No point of the cloud lies in the window.', 'box');
    job.progress(0.3, 'trying');
    // Settings that nobody gave come from the whole, as they will when it is run.
    const handle = new MemoryCloud(part);
    const made = await runOn(method, { [role]: [handle] }, p.params, {
      infos: { [role]: [whole] },
      isCancelled: () => job.cancelled,
    });
    const rings: Tried['rings'] = [];
    let classes: Tried['classes'] = [];
    for (const { handle: h } of made.outputs) {
      const data = await h.load();
      outlines(data, rings);
      const sorted = dataOf('cloud', data);
      if (sorted) classes = tallies(sorted);
    }
    return { box, points: pointCount(part), figures: made.figures, rings, classes };
  },
});

/** A window of a round side, some twenty thousand points large, within the cloud. */
export function windowAbout(
  { extent, spacing }: { extent: readonly number[] | null; spacing: number | null },
  about?: readonly number[],
): [number, number, number, number] {
  if (!extent) throw new HelkError('method.input', 'There is no point in the cloud.', 'cloud');
  const [w, s, e, n] = extent as [number, number, number, number];
  const side = roundNear(SIDE * (spacing || Math.max(e - w, n - s) / SIDE));
  const [x, y] =
    about && about[0]! >= w && about[0]! <= e && about[1]! >= s && about[1]! <= n ? about : [(w + e) / 2, (s + n) / 2];
  const from = (at: number, low: number, high: number): number =>
    high - low <= side ? (low + high - side) / 2 : Math.min(high - side, Math.max(low, at - side / 2));
  const [x0, y0] = [from(x!, w, e), from(y!, s, n)];
  return [x0, y0, x0 + side, y0 + side];
}

function outlines(data: Dataset, into: Tried['rings']): void {
  const f = dataOf('features', data);
  if (f?.geometry !== 'polygon') return;
  for (let r = 0; r + 1 < f.ringOffsets.length; r++) {
    const corners: [number, number][] = [];
    for (let i = f.ringOffsets[r]!; i < f.ringOffsets[r + 1]!; i++) corners.push([f.xy[2 * i]!, f.xy[2 * i + 1]!]);
    into.push(corners);
  }
}

function tallies(c: Cloud): Tried['classes'] {
  const classes = classesOf(c);
  const at = placesOf(c);
  const step = Math.max(1, Math.ceil(classes.length / SHOWN));
  const by = new Map<number, Tried['classes'][number]>();
  for (let i = 0; i < classes.length; i++) {
    const value = classes[i]!;
    let t = by.get(value);
    if (!t) by.set(value, (t = { value, name: className(value), count: 0, xy: [] }));
    t.count++;
    if (i % step === 0) t.xy.push(round(at.x[i]!), round(at.y[i]!));
  }
  return [...by.values()].sort((a, b) => b.count - a.count);
}

/** Millimetres do for a picture, and make the answer half as long. */
const round = (v: number): number => Math.round(v * 1000) / 1000;
