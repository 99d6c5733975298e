import * as z from 'zod';
import type { CloudInfo } from '../data/cloud';
import type { Stretch } from './style';

/** What the points of a cloud are coloured by. */
export type CloudBy = 'height' | 'class' | 'colours' | 'one' | 'attribute';

/** How a cloud is drawn. */
export interface CloudStyle {
  by: CloudBy;
  /** The attribute, where it is coloured by one. */
  attribute: string;
  ramp: string;
  reversed: boolean;
  stretch: Extract<Stretch, { kind: 'minmax' | 'own' }> | { kind: 'middle' };
  /** Where all are of one colour. */
  colour: string;
  /** Colours of classes by value, where they are other than the usual ones. */
  classes: Record<string, string>;
  /** Classes that are not drawn. */
  hidden: number[];
  /** Size of a point: 1 is that of the spacing. */
  size: number;
  opacity: number;
}

const colour = z.string().regex(/^#[0-9a-f]{6}$/i);

export const cloudLook: z.ZodType<CloudStyle> = z.object({
  by: z.enum(['height', 'class', 'colours', 'one', 'attribute']),
  attribute: z.string().max(400),
  ramp: z.string().max(300),
  reversed: z.boolean(),
  stretch: z.discriminatedUnion('kind', [
    z.object({ kind: z.literal('minmax') }),
    z.object({ kind: z.literal('middle') }),
    z.object({ kind: z.literal('own'), low: z.number(), high: z.number() }),
  ]),
  colour,
  classes: z.record(z.string().max(4), colour),
  hidden: z.array(z.number().int().min(0).max(255)).max(256),
  size: z.number().min(0.25).max(10),
  opacity: z.number().min(0).max(1),
});

/**
 * Usual colours of classes, our own: ground as bare earth, what grows in greens from dry to deep, what is built in plum, water in slate blue,
 * ways in stone, errors in a strong orange, what nobody has classified in paper grey.
 */
const CLASS_COLOURS: Record<number, string> = {
  0: '#b9b2a2',
  1: '#a69f90',
  2: '#b08a5b',
  3: '#b3ad3c',
  4: '#6f9e3f',
  5: '#2f7d57',
  6: '#7b3f63',
  7: '#e0601c',
  8: '#8f6d3f',
  9: '#3f7fa3',
  10: '#6c6a75',
  11: '#8c8a8a',
  12: '#c7b9d2',
  13: '#c79a1e',
  14: '#d8b13a',
  15: '#a67c00',
  16: '#8f7a3a',
  17: '#a08fa6',
  18: '#e8892b',
};
/** For classes beyond the table, by their number. */
const OTHERS = ['#5a88a8', '#b3658f', '#7f9a3a', '#c28a3a', '#6b6fb0', '#4f9a8a', '#a6574a', '#8a7fb8'];

export const classColour = (style: Pick<CloudStyle, 'classes'>, value: number): string =>
  style.classes[String(value)] ?? CLASS_COLOURS[value] ?? OTHERS[value % OTHERS.length]!;

const has = (info: CloudInfo, name: string): boolean => info.attributes.some((a) => a.name === name);

/** Whether there is a class beside "never classified" and "unassigned". */
export const isClassified = (info: CloudInfo): boolean => info.classes.some((c) => c.value > 1);

/** How a cloud is drawn until somebody says otherwise: by class where it has been classified, by its colours, else by height. */
export function defaultCloudStyle(info: CloudInfo, colour: string): CloudStyle {
  const by: CloudBy = has(info, 'heightAboveGround')
    ? 'attribute'
    : isClassified(info)
      ? 'class'
      : has(info, 'red')
        ? 'colours'
        : 'height';
  return {
    by,
    attribute:
      by === 'attribute' ? 'heightAboveGround' : (info.attributes.find((a) => a.name === 'intensity')?.name ?? ''),
    ramp: by === 'attribute' ? 'viridis' : 'cividis',
    reversed: false,
    stretch: { kind: 'middle' },
    colour,
    classes: {},
    hidden: [],
    size: 1,
    opacity: 1,
  };
}

/** The values between which the colours of a ramp reach; null where nothing is coloured by a ramp. */
export function cloudRange(style: CloudStyle, info: CloudInfo): [number, number] | null {
  const of =
    style.by === 'height'
      ? info.heights
      : style.by === 'attribute'
        ? info.attributes.find((a) => a.name === style.attribute)
        : null;
  if (!of) return null;
  const s = style.stretch;
  const [low, high] = s.kind === 'own' ? [s.low, s.high] : s.kind === 'middle' ? [of.low, of.high] : [of.min, of.max];
  if (high > low) return [low, high];
  return of.max > of.min ? [of.min, of.max] : [of.min - 0.5, of.min + 0.5];
}
