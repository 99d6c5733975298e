import { inject, Injectable } from '@angular/core';
import { ofKind, type Grid, type Shows, type VectorStyle } from '@helk/core';
import type { ApiRun } from '@helk/core/api/schemas';
import { BenchStore } from './bench.store';
import { Looks, type Layer } from './looks';
import { extentIn, ProjectStore, type DatasetItem } from './project.store';
import { Views } from './views';

const alike = (a: Grid, b: Grid): boolean =>
  a.columns === b.columns && a.rows === b.rows && a.x === b.x && a.y === b.y && a.dx === b.dx;

/** Estimates of the same points on the same grid, held against each other. */
@Injectable({ providedIn: 'root' })
export class Judge {
  private readonly project = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  private readonly looks = inject(Looks);
  private readonly views = inject(Views);

  /** What it estimates: the run that made it, and by which input and setting its like are known. */
  private judged(d: DatasetItem): { run: ApiRun; by: NonNullable<Shows['judged']> } | null {
    const by = this.looks.shows(d)?.judged;
    const run = this.project.madeBy(d);
    return by && run ? { run, by } : null;
  }

  /** All estimates of what this one estimates, itself among them, in the order they were made; fewer than two is none to judge. */
  siblings(d: DatasetItem): DatasetItem[] {
    const mine = this.judged(d);
    const grid = ofKind('raster', d.info)?.grid;
    if (!mine || !grid) return [];
    return this.project.datasetEntities().filter((x) => {
      const its = this.judged(x);
      const other = ofKind('raster', x.info)?.grid;
      return (
        its !== null &&
        other !== undefined &&
        its.run.inputs[its.by.input]?.[0] === mine.run.inputs[mine.by.input]?.[0] &&
        its.run.params[its.by.param] === mine.run.params[mine.by.param] &&
        alike(other, grid)
      );
    });
  }

  /** Up to four estimates side by side on one scale, with the measured points above them in the very same colours. */
  hold(d: DatasetItem): void {
    const all = this.siblings(d);
    // The one that was pointed at is always there.
    const shown = all.length > 4 ? [...all.filter((x) => x.id !== d.id).slice(-3), d] : all;
    const { run, by } = this.judged(d)!;
    const points = this.project.datasetEntityMap()[run.inputs[by.input]![0]!];
    const own = points && {
      ...this.looks.of<VectorStyle>(points),
      by: { kind: 'raster' as const, column: String(run.params[by.param]) },
      width: 1,
      outline: '#2a2a26',
    };
    const measured: Layer[] = own ? [{ dataset: points.id, visible: true, own }] : [];
    const groups = shown.map((x): Layer[] => [{ dataset: x.id, visible: true }, ...measured]);
    // How sure one of them is has room beside three.
    const sure = this.project
      .datasetEntities()
      .filter((x) => shown.some((e) => e.runId === x.runId && this.judged(e)?.by.doubt === x.role))
      .at(-1);
    if (sure && groups.length < 4) groups.push([{ dataset: sure.id, visible: true }]);
    this.bench.holdTogether(groups);
    this.bench.set({ selected: d.id });
    const e = extentIn(d.info, this.project.crs());
    const project = this.project.project()?.id;
    // The panes have their sizes once they are drawn.
    if (e && project)
      setTimeout(() => {
        const view = this.views.for(1, true, this.project.crs(), project);
        Views.go(view, e, undefined, 150);
      }, 60);
    if (all.length > shown.length) this.project.notify(`Four of ${all.length} estimates are shown, the latest ones.`);
  }
}
