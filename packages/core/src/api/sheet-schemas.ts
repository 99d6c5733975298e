import * as z from 'zod';
import type { FindingBody, Finding } from '../sheet/finding';
import { PaletteShape } from '../render/palette';
import { ReportShape } from '../report/shape';
import { SheetShape } from '../sheet/shape';
import { Id } from './refs';

/** Shapes of findings and map sheets, as requests and responses have them. */

export { FindingBody, FindingEntry } from '../sheet/finding';

export const SheetEntry = z.object({ id: Id, sheet: SheetShape, createdAt: z.string(), changedAt: z.string() });
/** Held to the shape of a sheet, and of a report, by the server, in words. */
export const NewSheet = z.object({ sheet: z.unknown() });
export const ReportEntry = z.object({ id: Id, report: ReportShape, createdAt: z.string(), changedAt: z.string() });
export const NewReport = z.object({ report: z.unknown() });
export const PaletteEntry = z.object({ id: Id, palette: PaletteShape, createdAt: z.string(), changedAt: z.string() });
export const NewPalette = z.object({ palette: PaletteShape });
export const FindingOrder = z.object({ ids: z.array(Id).max(2000) });
export const PictureEntry = z.object({ id: Id, type: z.string() });

export type ApiFinding = Finding;
export type ApiFindingBody = z.input<typeof FindingBody>;
export type ApiSheet = z.infer<typeof SheetEntry>;
export type ApiReport = z.infer<typeof ReportEntry>;
export type ApiPalette = z.infer<typeof PaletteEntry>;
