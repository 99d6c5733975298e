import * as z from 'zod';
import type { DisplayList } from '../render/drawn';

/** A drawing as it is kept: a list of simple things from back to front, in pixels of 1/96 inch; images are data addresses of PNG or JPEG. */

const N = z.number();
const Look = {
  fill: z.string().max(60).optional(),
  stroke: z.string().max(60).optional(),
  line: N.optional(),
  dash: z.array(N).max(12).optional(),
};
const Point = z.tuple([N, N]);
const Rect = { x: N, y: N, width: N, height: N };

interface GroupItem {
  kind: 'group';
  items: unknown[];
}

const Item: z.ZodType = z.lazy(() => z.discriminatedUnion('kind', [...SIMPLE, Group]));
const Group = z.object({
  kind: z.literal('group'),
  clip: z.object(Rect).optional(),
  alpha: N.min(0).max(1).optional(),
  move: z.object({ x: N, y: N, scale: N.positive() }).optional(),
  items: z.array(Item).max(200_000),
}) satisfies z.ZodType<GroupItem>;
const SIMPLE = [
  z.object({ kind: z.literal('box'), ...Rect, ...Look }),
  z.object({ kind: z.literal('path'), points: z.array(Point), closed: z.boolean().optional(), ...Look }),
  z.object({ kind: z.literal('shape'), rings: z.array(z.array(Point)), closed: z.boolean(), ...Look }),
  z.object({ kind: z.literal('disc'), x: N, y: N, radius: N, ...Look }),
  z.object({ kind: z.literal('ramp'), ...Rect, colours: z.array(z.string().max(60)).max(1000), stepped: z.boolean() }),
  z.object({
    kind: z.literal('text'),
    x: N,
    y: N,
    text: z.string().max(4000),
    size: N.min(0.1).max(1000),
    fill: z.string().max(60),
    face: z.enum(['sans', 'mono', 'voice']).optional(),
    weight: N.optional(),
    anchor: z.enum(['start', 'middle', 'end']).optional(),
    turn: N.optional(),
    halo: z.object({ colour: z.string().max(60), width: N }).optional(),
  }),
  z.object({
    kind: z.literal('image'),
    ...Rect,
    image: z.string().regex(/^data:image\/(png|jpeg);base64,[A-Za-z0-9+/=]*$/),
  }),
] as const;

export const DrawingShape = z.object({
  width: N.positive().max(20_000),
  height: N.positive().max(20_000),
  items: z.array(Item).max(200_000),
});
export type KeptDrawing = z.infer<typeof DrawingShape>;

/** A drawing that was looked at, as what can be drawn; its images are data addresses. */
export const drawnList = (kept: KeptDrawing): DisplayList<string> => kept as DisplayList<string>;
