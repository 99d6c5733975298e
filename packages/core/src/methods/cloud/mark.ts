import * as z from 'zod';
import { HelkError } from '../../errors';
import { plural } from '../../data/check';
import { classesOf, className, placesOf, withClasses } from '../../data/cloud';
import { defineMethod, input, output, shown } from '../../method/define';
import { LONG_TEXT, text } from '../../method/params';
import { stripLength, type Strip } from '../../render/cloud-section';
import { ownClasses, pointsEstimate } from './common';

/** Points within an outline that was drawn in a section, and the class they are given. */
export interface Mark {
  class: number;
  /** Classes that are changed; all where there are none. */
  of: number[];
  /** In the cloud's system. */
  strip: Strip;
  /** How far along the strip and how high, corner by corner; in the units of coordinates and heights. */
  ring: [along: number, z: number][];
}

const wrong = (message: string): HelkError => new HelkError('method.parameter', `marks: ${message}`, 'marks');
const NUMBER = String.raw`[-+]?\d+(?:\.\d+)?(?:e[-+]?\d+)?`;
/** Of a mark whose white space is single: more of it in a row would make the search long. */
const FORM = new RegExp(
  String.raw`^(\d+)(?: of ([\d ,]+))? ?@ ?(${NUMBER}) (${NUMBER}) ?, ?(${NUMBER}) (${NUMBER}) wide (${NUMBER}) ?:(.*)$`,
);

/**
 * Marks one after the other, parted by semicolons: `6 of 1, 5 @ 400100 6460020, 400160 6460020 wide 4.4: 12 22, 15 22, 15 30` gives class 6
 * to the points of classes 1 and 5 in the strip from the first place to the second, whose distance along it and height lie in the outline.
 * Later ones win.
 *
 * @throws HelkError `method.parameter` with the part that cannot be read
 */
export function readMarks(source: string): Mark[] {
  return source
    .split(';')
    .map((part) => part.replace(/\s+/g, ' ').trim())
    .filter(Boolean)
    .map((part) => {
      const m = FORM.exec(part);
      const short = part.length > 60 ? `${part.slice(0, 60)}…` : part;
      if (!m)
        throw wrong(
          `"${short}" is not of the form 6 of 1, 5 @ x y, x y wide 4: along height, along height, along height.`,
        );
      const [value, ...of] = [m[1]!, ...(m[2]?.split(/[ ,]+/).filter(Boolean) ?? [])].map(Number) as [number];
      const odd = [value, ...of].find((k) => k > 255);
      if (odd !== undefined) throw wrong(`${odd} is no class; classes are whole numbers from 0 to 255.`);
      const [ax, ay, bx, by, width] = m.slice(3, 8).map(Number) as [number, number, number, number, number];
      const strip = { ax, ay, bx, by, width };
      if (!(width > 0) || !(stripLength(strip) > 0)) throw wrong(`the strip of "${short}" has no length or no width.`);
      const ring = m[8]!
        .split(',')
        .map((c) => c.trim())
        .filter(Boolean)
        .map((c) => {
          const pair = c.split(' ').map(Number);
          if (pair.length !== 2 || !pair.every(Number.isFinite)) throw wrong(`"${c}" is no distance and height.`);
          return pair as [number, number];
        });
      if (ring.length < 3) throw wrong(`the outline of "${short}" has fewer than three corners.`);
      return { class: value, of, strip, ring };
    });
}

/** The text that `readMarks` reads back, to the thousandth of a unit. */
export function writeMarks(marks: readonly Mark[]): string {
  const n = (v: number): string => String(Number(v.toFixed(3)));
  return marks
    .map(
      ({ class: k, of, strip: s, ring }) =>
        `${k}${of.length ? ` of ${of.join(', ')}` : ''} @ ${n(s.ax)} ${n(s.ay)}, ${n(s.bx)} ${n(s.by)} wide ${n(s.width)}: ${ring.map(([d, z]) => `${n(d)} ${n(z)}`).join(', ')}`,
    )
    .join('; ');
}

/** Whether a place in a section lies within an outline, by the even and odd rule. */
export function inOutline(ring: readonly (readonly [number, number])[], along: number, z: number): boolean {
  let inside = false;
  for (let i = 0, j = ring.length - 1; i < ring.length; j = i++) {
    const [ax, az] = ring[i]!;
    const [bx, bz] = ring[j]!;
    if (az > z !== bz > z && along < ((bx - ax) * (z - az)) / (bz - az) + ax) inside = !inside;
  }
  return inside;
}

/** Gives the points of a mark its class. O(points). @returns how many it held and how many it changed */
export function applyMark(
  at: { x: Float64Array; y: Float64Array; z: Float64Array },
  classes: Uint8Array,
  { class: value, of, strip, ring }: Mark,
): { held: number; changed: number } {
  const length = stripLength(strip);
  const [dx, dy] = [(strip.bx - strip.ax) / length, (strip.by - strip.ay) / length];
  const half = strip.width / 2;
  const [d0, d1] = [Math.min(...ring.map((c) => c[0])), Math.max(...ring.map((c) => c[0]))];
  let held = 0;
  let changed = 0;
  for (let i = 0; i < classes.length; i++) {
    const x = at.x[i]! - strip.ax;
    const y = at.y[i]! - strip.ay;
    const along = x * dx + y * dy;
    if (!(along >= d0 && along <= d1) || along < 0 || along > length || Math.abs(y * dx - x * dy) > half) continue;
    if (of.length && !of.includes(classes[i]!)) continue;
    if (!inOutline(ring, along, at.z[i]!)) continue;
    held++;
    if (classes[i] !== value) {
      classes[i] = value;
      changed++;
    }
  }
  return { held, changed };
}

export const mark = defineMethod({
  id: 'cloud.mark',
  version: 1,
  title: 'Mark points by hand',
  question: 'Which points are of another class than they say?',
  about:
    'Gives points a class by hand: those of a strip of ground whose place along it and height lie in an outline drawn where they are seen from the side. Every mark stands in the settings of the run, as class, the classes it changes (all where none are named), strip and outline: 6 of 1, 5 @ x y, x y wide 4: along height, along height, along height; later ones win. The cloud itself is not touched.',
  keywords: ['reclassify', 'manual', 'correct classes', 'edit points', 'section', 'clean by hand', 'wrong class'],
  sources: ['ASPRS, LAS specification 1.4 R15'],
  inputs: { cloud: input.cloud({}) },
  params: z.object({
    marks: text({
      label: 'Marks',
      help: 'Drawn in the panel Seen from the side; like 6 of 1, 5 @ x y, x y wide 4: along height, …',
      most: LONG_TEXT,
    }),
  }),
  serves: 'mark points',
  outputs: { marked: shown(output.cloud('Marked', 'marked'), { like: 'cloud' }) },
  figures: { marks: { label: 'Marks' }, marked: { label: 'Points in them' }, changed: { label: 'Points changed' } },
  checks: (_, p) => {
    if (!readMarks(p.marks).length) throw wrong('there is nothing marked.');
    return [];
  },
  estimate: ({ cloud }) => pointsEstimate(cloud, 40, 2e7),
  run: ({ cloud }, p, job) => {
    const at = placesOf(cloud);
    const classes = ownClasses(cloud);
    const marks = readMarks(p.marks);
    let marked = 0;
    let empty = 0;
    marks.forEach((m, k) => {
      job.progress(k / marks.length, 'marking');
      const { held } = applyMark(at, classes, m);
      marked += held;
      if (!held) empty++;
    });
    const before = classesOf(cloud);
    let changed = 0;
    const became = new Map<number, number>();
    for (let i = 0; i < classes.length; i++)
      if (classes[i] !== before[i]) {
        changed++;
        became.set(classes[i]!, (became.get(classes[i]!) ?? 0) + 1);
      }
    if (empty) job.note('look', 'marks.empty', `In ${plural(empty, 'mark')} there is no point.`);
    for (const [k, n] of became) job.note('info', 'marks.class', `${plural(n, 'point')} became ${className(k)}.`);
    return { marked: withClasses(cloud, classes), figures: { marks: marks.length, marked, changed } };
  },
});
