import { inject, Injectable } from '@angular/core';
import { ofKind, transformer } from '@helk/core';
import { BenchStore } from '../state/bench.store';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { Views } from '../state/views';

/** Takes the active pane from a row of evidence to its place. */
@Injectable({ providedIn: 'root' })
export class Steps {
  private readonly bench = inject(BenchStore);
  private readonly store = inject(ProjectStore);
  private readonly views = inject(Views);

  /** Some cells of a raster, with at least so many cells about them; their middle is read out. */
  go(item: DatasetItem, column: number, row: number, columns: number, rows: number, around = 20): void {
    const grid = ofKind('raster', item.info)?.grid;
    const project = this.store.project();
    if (!grid || !project) return;
    const crs = this.store.crs();
    const t = transformer(grid.crs ?? crs, crs);
    const at = (c: number, r: number): [number, number] => {
      const out = [0, 0];
      t(grid.x + c * grid.dx, grid.y - r * grid.dy, out);
      return out as [number, number];
    };
    const [x, y] = at(column + columns / 2, row + rows / 2);
    const margin = Math.max(around, columns, rows);
    const a = at(column - margin, row + rows + margin);
    const b = at(column + columns + margin, row - margin);
    const view = this.views.for(this.bench.activePane(), this.bench.linkedView(), crs, project.id);
    Views.go(
      view,
      [Math.min(a[0], b[0]), Math.min(a[1], b[1]), Math.max(a[0], b[0]), Math.max(a[1], b[1])],
      undefined,
      200,
    );
    this.bench.set({ readout: { x, y } });
  }
}
