import { inject, Injectable } from '@angular/core';
import { metresPerDegree, metresPerUnit, ofKind, systemOf, transformer, type Extent } from '@helk/core';
import { BenchStore } from '../state/bench.store';
import { boxOf, gridPlaces } from '../state/grid-places';
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
    if (!grid) return;
    const crs = this.store.crs();
    const at = gridPlaces(grid, crs);
    const [x, y] = at(column + columns / 2, row + rows / 2);
    const margin = Math.max(around, columns, rows);
    const a = at(column - margin, row + rows + margin);
    const b = at(column + columns + margin, row - margin);
    this.show(boxOf(a, b), x, y);
  }

  /** A place in a dataset's own system, with so many metres about it. */
  goTo(item: DatasetItem, x: number, y: number, around: number): void {
    const crs = this.store.crs();
    const at: [number, number] = [x, y];
    transformer(systemOf(item.info) ?? crs, crs)(x, y, at);
    const [mx, my] = crs.geographic ? metresPerDegree(at[1]) : [metresPerUnit(crs), metresPerUnit(crs)];
    const [u, v] = [around / mx!, around / my!];
    this.show([at[0] - u, at[1] - v, at[0] + u, at[1] + v], ...at);
  }

  private show(box: Extent, x: number, y: number): void {
    const project = this.store.project();
    if (!project) return;
    const view = this.views.for(this.bench.activePane(), this.bench.linkedView(), this.store.crs(), project.id);
    Views.go(view, box, undefined, 200);
    this.bench.set({ readout: { x, y } });
  }
}
