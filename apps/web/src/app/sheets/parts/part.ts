import type { Type } from '@angular/core';
import type { Finding } from '@helk/core/sheet/finding';
import type { Frame, MapSheet, PaperBox, Part, PartKind, PartOf } from '@helk/core/sheet/shape';
import type { DisplayItem, DisplayList } from '../../draw/display';
import type { FrameDrawing } from '../frame-artist';

/** What of a frame is lit, all else faded: an area in the frame's system. */
export interface Spot {
  frame: string;
  rings: [number, number][][];
}

/** What parts of a sheet are drawn with. */
export interface PartContext {
  sheet: MapSheet;
  /** A frame with what it shares with others; undefined where there is none of that id. */
  frame(id: string): Frame | undefined;
  drawing(frame: Frame): Promise<FrameDrawing>;
  finding(id: string): Finding | undefined;
  /** The drawing of a finding; null where there is none. */
  found(id: string): Promise<DisplayList | null>;
  picture(id: string): Promise<ImageBitmap | null>;
  /** What fields of texts stand for. @param frame the one a text is about: the nearest that is there */
  values(): ReadonlyMap<string, string>;
  /** What is only to be seen while the sheet is made is drawn as well. */
  editing: boolean;
  spot: Spot | null;
}

/** Something to be said about a part, with what would mend it. */
export interface PartCheck {
  part: string;
  text: string;
  mend?: { label: string; how: (p: Part) => Part };
}

/** One kind of part of a sheet. A new one is its shape in the core, its record here and a line in `parts/index.ts`. */
export interface PartRecord<K extends PartKind = PartKind> {
  kind: K;
  /** What one is called. */
  label: string;
  /** What it is for, in words. */
  about: string;
  draw(part: PartOf<K>, ctx: PartContext): Promise<DisplayItem[]>;
  /** What should be looked at. */
  checks?(part: PartOf<K>, ctx: PartContext): Promise<PartCheck[]>;
  /** A new one in a box; null where it cannot be without something else. */
  begin(id: string, box: PaperBox, ctx: Pick<PartContext, 'sheet'>): PartOf<K> | null;
  /** How large a new one is, mm. */
  size: readonly [number, number];
  /** Its settings: inputs `part` and `ctx`, output `put`. */
  editor(): Promise<Type<unknown>>;
}
