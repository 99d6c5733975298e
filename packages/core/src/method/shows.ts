import type { VectorStyle } from '../render/symbols';

/** A panel of evidence that says what a result says. */
export interface ShownPanel {
  id: string;
  /** Role of the result beside it that the panel reads; the result itself where not given. */
  of?: string;
  title?: string;
  /** What its values are, and what the list of them is headed with. */
  values?: string;
  list?: string;
}

/** How a result is shown until somebody says otherwise. Said where the method is defined, so that nobody else need know of it. */
export interface Shows {
  /**
   * How features are drawn, so far as they have the columns. A name that ends in `*` is that of the first column that begins so, one that
   * begins with it the last that has the rest in it, as the columns that a run adds; and what
   * needs a column that is not there is left out.
   */
  features?: Partial<VectorStyle>;
  /** Role of the input whose way of drawing it takes over. */
  like?: string;
  /** The panel that is opened with it. */
  panel?: ShownPanel;
  /** Columns that are told of a place beside the one it is coloured by. */
  tells?: readonly string[];
  /** Role of the input whose rows it has, one by one in their order: what is picked of one is picked of the other. */
  rows?: string;
  /** Read before what came with it. */
  first?: true;
  /** Role of the inputs it was put together from, whose outlines can be asked for. */
  parts?: string;
  /** It estimates a column, named by a setting, of an input: others of the same can be held against it, and beside it the result that says how sure it is. */
  judged?: { input: string; param: string; doubt?: string };
}

/** What the form shows of a result before it is run: a kind of preview, and the role of the input it is made from. */
export type Previewed = {
  input: string;
  /** Settings, and what they must be for it. */
  when?: Record<string, string>;
} & (
  | {
      kind: 'streams' | 'contours' | 'formula' | 'rows' | 'values' | 'small';
      /** The setting that it follows. */
      param: string;
    }
  /** The method itself, run on a small part of a cloud. */
  | { kind: 'window' }
  /** Streets that are reached, while settings are typed and places dragged. */
  | { kind: 'reach' }
);

/** Jobs of a workbench that are runs: what is picked, typed or held together becomes a dataset by the method that does the job. */
export type Served =
  | 'make classes of names'
  | 'judge a map'
  | 'stack bands'
  | 'cut a part'
  | 'learn from examples'
  | 'add a column'
  | 'keep picked'
  | 'keep typed'
  | 'compare two'
  | 'place rows'
  | 'write variogram'
  | 'estimate'
  | 'mark points'
  | 'test a trend';
