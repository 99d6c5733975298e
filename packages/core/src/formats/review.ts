import { HelkError } from '../errors';
import type { Note } from '../data/check';
import { parseCrs } from '../data/crs';
import { kindOf, type DatasetKind } from '../data/kinds';
import type { ReviewFacts } from '../data/kinds/kind';
import type { OpenLayer } from './reader';

/** One layer of a file as it is shown for confirmation before it is taken in. */
export interface ReviewRow extends ReviewFacts {
  layer: string;
  kind: DatasetKind;
  steps: string[];
  /** The one that was read, or -1 for all. */
  step: number;
  notes: Note[];
}

/** What the analyst decided about one layer. */
export interface LayerChoice {
  layer: string;
  /** Name of the dataset; the layer's own when not given. */
  name?: string | undefined;
  step?: number | undefined;
  factor?: number | undefined;
  offset?: number | undefined;
  /** Unit of the values after factor and offset; the file's when not given. */
  unit?: string | undefined;
  /** Code or definition of the system it lies in, where the file says none or a wrong one; taken into its description when it is stored. */
  crs?: string | undefined;
}

/** The facts of each layer that let an analyst see whether it is the right grid in the right place. O(cells). */
export async function reviewOf(layers: readonly OpenLayer[]): Promise<ReviewRow[]> {
  const rows: ReviewRow[] = [];
  for (const { name, handle, notes, steps, step } of layers) {
    const kind = kindOf(handle);
    const facts = await kind.review(handle);
    rows.push({ layer: name, kind: kind.kind, notes, steps: steps ?? [], step: step ?? 0, ...facts });
  }
  return rows;
}

/**
 * The layers that were chosen, with factor, offset, unit and name as decided.
 *
 * @throws HelkError `method.parameter` for a layer that is not there or a factor that makes no sense.
 */
export function applyChoices(layers: readonly OpenLayer[], choices: readonly LayerChoice[]): OpenLayer[] {
  return choices.map((c) => {
    const layer = layers.find((l) => l.name === c.layer);
    if (!layer) throw new HelkError('method.parameter', `There is no layer "${c.layer}" in the file.`, 'layers');
    const { factor = 1, offset = 0, unit } = c;
    if (!Number.isFinite(factor) || factor === 0 || !Number.isFinite(offset))
      throw new HelkError(
        'method.parameter',
        `A factor of ${factor} and an offset of ${offset} make no values.`,
        'factor',
      );
    const name = c.name?.trim() || layer.name;
    if (c.crs !== undefined) {
      parseCrs(c.crs);
      layer.notes.push({
        level: 'info',
        code: 'crs.given',
        message: `The coordinate system was given by hand: ${c.crs}.`,
      });
    }
    const changed = kindOf(layer.handle).rescaled?.(layer.handle, { factor, offset, unit });
    if (!changed) return { ...layer, name };
    // What was said of the direction of depths is answered by a factor.
    const { notes } = layer;
    const answered = changed.notes.length ? notes.findIndex((n) => n.code === 'netcdf.down') : -1;
    // In place: more may be noted while it is read.
    if (answered >= 0) notes.splice(answered, 1);
    notes.push(...changed.notes);
    return { ...layer, name, handle: changed.handle };
  });
}
