import { early } from '../early-state';

/** A running drawing worker. What it loads takes as long as the workbench itself, so the first begins with it; others come when wanted. */
export const drawingWorker = (k: number): Worker =>
  (early.drawing[k] ??= new Worker(new URL('./raster.worker', import.meta.url), { type: 'module' }));
