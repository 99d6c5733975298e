import * as z from 'zod';

/** Fewest and most colours of a palette. */
export const PALETTE_COLOURS = { least: 2, most: 24 } as const;

/** Colours that somebody has put together and keeps: a ramp from low to high, or colours to tell classes apart. */
export const PaletteShape = z.object({
  format: z.literal('helk-palette'),
  version: z.literal(1),
  name: z.string().trim().min(1, 'A name is needed.').max(80),
  kind: z.enum(['sequential', 'diverging', 'cyclic', 'classes']),
  colours: z
    .array(z.string().regex(/^#[0-9a-f]{6}$/, 'A colour is written as #1d282c.'))
    .min(PALETTE_COLOURS.least)
    .max(PALETTE_COLOURS.most),
});

export type Palette = z.infer<typeof PaletteShape>;

/** A ramp of a palette's colours as it stands in a way of drawing: the colours are in it, so that it goes wherever that goes. */
export const rampIdOf = (p: Pick<Palette, 'kind' | 'colours'>): string => `own:${p.kind}:${p.colours.join(',')}`;
