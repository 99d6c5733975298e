import { Injectable, signal } from '@angular/core';

/** Where the pointer is, in the panes' system; kept out of the store since it changes with every move. */
@Injectable({ providedIn: 'root' })
export class Cursor {
  readonly at = signal<{ x: number; y: number; pane: number } | null>(null);
  /** The dataset whose value is told at the cursor, in every pane; what stands on top where there is none. */
  readonly tells = signal<string | null>(null);
  /** The place that a work is at: its cell as a ring, and its middle, in the panes' system. */
  readonly framed = signal<{ ring: number[][]; x: number; y: number } | null>(null);
  /** A part of a line that stands out, in the panes' system: the steepest stretch of the profile that is looked at. */
  readonly stretch = signal<number[][]>([]);
  /**
   * So many metres about a place of the panes' system: how far the fitted correlation reaches; by a ratio less far across an angle clockwise
   * from north, where directions differ.
   */
  readonly ring = signal<{ x: number; y: number; radius: number; angle?: number; ratio?: number } | null>(null);
}
