import * as z from 'zod';
import { HelkError } from '../errors';
import { Id } from '../api/refs';
import { MANY_SHAPE } from './many-shape';

/**
 * What a map sheet is: a page and what lies on it, from back to front. All lengths on paper are millimetres from the upper left corner of
 * the page; sizes of letters are points; angles are degrees clockwise.
 */

/** Longest side of a page, mm: a metre and a half of roll paper, twice. */
export const LONGEST = 3000;

export const PartId = z.string().regex(/^[a-z0-9]{1,16}$/);
const Place = z
  .number()
  .min(-LONGEST)
  .max(2 * LONGEST);
const Side = z.number().min(1).max(LONGEST);
const Coordinate = z.number().refine(Number.isFinite);
export const Colour = z.string().regex(/^#[0-9a-fA-F]{6}$/);
const Box = { id: PartId, x: Place, y: Place, width: Side, height: Side };

export const CrsShape = z.object({
  code: z.string().max(40).nullable(),
  name: z.string().max(200),
  proj4: z.string().max(20_000),
  geographic: z.boolean(),
  unit: z.string().max(20),
  caution: z.string().max(400).optional(),
});

/** One dataset in a frame, drawn as it was when it was put there. */
export const SheetLayer = z.object({
  dataset: Id,
  visible: z.boolean(),
  look: z.record(z.string().max(40), z.unknown()),
  /** What its colours mean; null for what has no scale. */
  scale: z.record(z.string().max(40), z.unknown()).nullable(),
});

/** Lines of coordinates over a frame. */
export const GridShape = z.object({
  /** Of longitude and latitude, or of the coordinates of the frame's own system. */
  of: z.enum(['degrees', 'system']),
  /** Between two lines, in degrees or in units of the system; null for what suits the scale. */
  step: z.number().positive().nullable(),
  draw: z.enum(['lines', 'crosses', 'ticks']),
  labels: z.boolean(),
});

export const FramePart = z.object({
  kind: z.literal('frame'),
  ...Box,
  crs: CrsShape,
  /** What lies in the middle, in the system. */
  centre: z.tuple([Coordinate, Coordinate]),
  /** Metres on the ground to one on paper, along the middle of the frame. */
  scale: z.number().min(1).max(1e9),
  turn: z.number().min(-360).max(360),
  layers: z.array(SheetLayer).max(60),
  /** Where time stands for what has steps. */
  time: z.object({ at: z.number(), window: z.number().int().min(1) }).nullable(),
  /** What lies under the data: coasts, or a background of the project by its id. Sheets of before have none. */
  ground: z.object({ of: z.union([z.literal('coasts'), Id]), strength: z.number().min(0).max(1) }).nullish(),
  edge: z.boolean(),
  grid: GridShape.nullable(),
  /** Frame whose middle, scale and turn it shares. */
  linked: PartId.nullable(),
  /** Frame whose place it shows: it is an overview. */
  around: PartId.nullable(),
});

export const KeyPart = z.object({
  kind: z.literal('key'),
  ...Box,
  frame: PartId,
  columns: z.number().int().min(1).max(8),
  size: z.number().min(4).max(72),
  /** Layers that are left out. */
  hidden: z.array(Id).max(60),
  /** Layers in the order in which they are told; those not named come after them. */
  order: z.array(Id).max(60),
  /** Words in place of those of the data: `DATASET` for the title, `DATASET/2` for its third entry. Empty words leave it out. */
  words: z.record(z.string().max(60), z.string().max(200)),
});

export const BarPart = z.object({
  kind: z.literal('bar'),
  ...Box,
  frame: PartId,
  unit: z.enum(['metric', 'miles', 'nautical']),
  parts: z.number().int().min(1).max(8),
});

export const NorthPart = z.object({
  kind: z.literal('north'),
  ...Box,
  frame: PartId,
  of: z.enum(['true', 'grid']),
  /** How far the other north is from it is said beneath. */
  told: z.boolean(),
});

export const TextPart = z.object({
  kind: z.literal('text'),
  ...Box,
  /** With fields in braces. */
  text: z.string().max(8000),
  size: z.number().min(3).max(400),
  bold: z.boolean(),
  face: z.enum(['sans', 'voice', 'mono']),
  align: z.enum(['start', 'middle', 'end']),
  colour: Colour,
});

export const FindingPart = z.object({ kind: z.literal('finding'), ...Box, finding: Id });

/** A picture, or the space for one. */
export const PicturePart = z.object({
  kind: z.literal('picture'),
  ...Box,
  picture: Id.nullable(),
  /** What it shows, for those who do not see it. */
  about: z.string().max(400),
});

export const PartShape = z.discriminatedUnion('kind', [
  FramePart,
  KeyPart,
  BarPart,
  NorthPart,
  TextPart,
  FindingPart,
  PicturePart,
]);

export const SheetShape = z.object({
  format: z.literal('helk-sheet'),
  version: z.literal(1),
  name: z.string().trim().min(1, 'A name is needed.').max(200),
  page: z.object({ width: Side.min(20), height: Side.min(20), margin: z.number().min(0).max(200), paper: Colour }),
  parts: z.array(PartShape).max(200),
  /** How many sheets are made of this one. */
  many: MANY_SHAPE.nullable(),
});

export type MapSheet = z.infer<typeof SheetShape>;
export type Part = z.infer<typeof PartShape>;
export type PartKind = Part['kind'];
export type PartOf<K extends PartKind> = Extract<Part, { kind: K }>;
export type Frame = PartOf<'frame'>;
export type Grid = z.infer<typeof GridShape>;
/** Where something lies on paper, mm. */
export interface PaperBox {
  x: number;
  y: number;
  width: number;
  height: number;
}

/**
 * A map sheet from what a file or a request holds; parts that rest on a frame that is not there are refused.
 *
 * @throws HelkError `sheet.invalid` with what is wrong and where
 */
export function sheetFrom(raw: unknown): MapSheet {
  const r = SheetShape.safeParse(raw);
  if (!r.success) {
    const { path, message } = r.error.issues[0]!;
    throw new HelkError('sheet.invalid', `The sheet cannot be used: ${path.join('.') || 'it'}: ${message}`, 'sheet');
  }
  const ids = r.data.parts.map((p) => p.id);
  const twice = ids.find((id, i) => ids.indexOf(id) !== i);
  if (twice) throw new HelkError('sheet.invalid', `Two parts of the sheet are called "${twice}".`, 'sheet');
  const frames = new Set(r.data.parts.flatMap((p) => (p.kind === 'frame' ? [p.id] : [])));
  for (const p of r.data.parts) {
    const of = p.kind === 'frame' ? [p.linked, p.around] : 'frame' in p ? [p.frame] : [];
    const lost = of.find((f) => f !== null && !frames.has(f));
    if (lost !== undefined)
      throw new HelkError(
        'sheet.invalid',
        `The ${p.kind} "${p.id}" of the sheet is of a frame that is not there.`,
        'sheet',
      );
  }
  return r.data;
}

/** Frames of a sheet. */
export const framesOf = (s: Pick<MapSheet, 'parts'>): Frame[] => s.parts.filter((p) => p.kind === 'frame');

/** A frame with what it shares with another: middle, scale and turn of the one it is linked to, however far along the chain. */
export function followed(frame: Frame, frames: readonly Frame[]): Frame {
  const seen = new Set<string>();
  let at = frame;
  while (at.linked && !seen.has(at.id)) {
    seen.add(at.id);
    const next = frames.find((f) => f.id === at.linked);
    if (!next) break;
    at = next;
  }
  return at === frame ? frame : { ...frame, crs: at.crs, centre: at.centre, scale: at.scale, turn: at.turn };
}
