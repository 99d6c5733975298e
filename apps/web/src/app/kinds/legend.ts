/** What colours and marks of a layer mean, in words; drawn by the key of a pane and into pictures alike. */
export interface Legend {
  title: string;
  /** The one mark of a layer that is drawn all alike. */
  mark: Mark | null;
  entries: (Mark & { text: string; count?: number; off?: boolean })[];
  /** Entries that are not listed. */
  more: number;
  ramp: { colours: string[]; stepped: boolean; ticks: string[] } | null;
  notes: string[];
  warnings: string[];
  /** What the missing cells that are marked come to. */
  missing: string | null;
  /** Its entries can be picked. */
  picks: boolean;
  /** Its entries can be switched on and off. */
  switches: boolean;
  /** Texts are numbers. */
  numeric: boolean;
}

export interface Mark {
  shape: 'area' | 'line' | 'point';
  /** Of the inside; with an outline of its own where one is given. */
  colour: string;
  outline?: string;
}

export const NO_LEGEND: Omit<Legend, 'title'> = {
  mark: null,
  entries: [],
  more: 0,
  ramp: null,
  notes: [],
  warnings: [],
  missing: null,
  picks: false,
  switches: false,
  numeric: false,
};

export const UNPLACED = 'system not known: drawn as if it lay in that of the project';
