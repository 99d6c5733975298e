import { inject, Injectable } from '@angular/core';
import type { Grid } from '@helk/core';
import { BenchStore } from './bench.store';
import { Views } from './cursor';
import { extentIn, ProjectStore, type DatasetItem } from './project.store';

const alike = (a: Grid, b: Grid): boolean =>
  a.columns === b.columns && a.rows === b.rows && a.x === b.x && a.y === b.y && a.dx === b.dx;

/** Estimates of the same points on the same grid, held against each other. */
@Injectable({ providedIn: 'root' })
export class Judge {
  private readonly project = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  private readonly views = inject(Views);

  private run(d: DatasetItem) {
    const run = d.runId ? this.project.runEntityMap()[d.runId] : undefined;
    return run?.method.startsWith('surface.') && d.info.kind === 'raster' && d.role === 'estimate' ? run : undefined;
  }

  /** All estimates of what this one estimates, itself among them, in the order they were made; fewer than two is none to judge. */
  siblings(d: DatasetItem): DatasetItem[] {
    const mine = this.run(d);
    if (!mine || d.info.kind !== 'raster') return [];
    const { grid } = d.info;
    return this.project.datasetEntities().filter((x) => {
      const run = this.run(x);
      return (
        run?.inputs['points']?.[0] === mine.inputs['points']?.[0] &&
        run?.params['value'] === mine.params['value'] &&
        x.info.kind === 'raster' &&
        alike(x.info.grid, grid)
      );
    });
  }

  /** Up to four estimates side by side on one scale, with the measured points above them in the very same colours. */
  hold(d: DatasetItem): void {
    const all = this.siblings(d);
    // The one that was pointed at is always there.
    const shown = all.length > 4 ? [...all.filter((x) => x.id !== d.id).slice(-3), d] : all;
    const run = this.run(d)!;
    const points = this.project.datasetEntityMap()[run.inputs['points']![0]!];
    const column = String(run.params['value']);
    const over = points ? this.bench.layerFor(points) : null;
    const measured = over?.vector
      ? [{ ...over, vector: { ...over.vector, by: { kind: 'raster' as const, column }, width: 1, outline: '#2a2a26' } }]
      : [];
    const groups = shown.map((x) => [this.bench.layerFor(x), ...measured]);
    // How sure the kriging is has room beside three of them.
    const sure = this.project
      .datasetEntities()
      .filter((x) => x.role === 'standardError' && shown.some((e) => e.runId === x.runId))
      .at(-1);
    if (sure && groups.length < 4) groups.push([this.bench.layerFor(sure)]);
    this.bench.holdTogether(groups);
    this.bench.set({ selected: d.id });
    const e = extentIn(d.info, this.project.crs());
    const project = this.project.project()?.id;
    // The panes have their sizes once they are drawn.
    if (e && project)
      setTimeout(() => {
        const view = this.views.for(1, true, this.project.crs(), null, project);
        view.fit(e, { padding: [44, 60, 24, 24], duration: 150 });
      }, 60);
    if (all.length > shown.length) this.project.notify(`Four of ${all.length} estimates are shown, the latest ones.`);
  }
}
