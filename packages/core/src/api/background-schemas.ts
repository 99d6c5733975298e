import * as z from 'zod';
import { BackgroundShape } from '../render/background';
import { Id } from './refs';

export const BackgroundEntry = z.object({
  id: Id,
  background: BackgroundShape,
  createdAt: z.string(),
  changedAt: z.string(),
});
export const NewBackground = z.object({ background: BackgroundShape });
export type ApiBackground = z.infer<typeof BackgroundEntry>;
