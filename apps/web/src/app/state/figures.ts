import { figureUnit, formatFigure } from '@helk/core';
import { datasetsIn } from '@helk/core/api/refs';
import type { ApiRun } from '@helk/core/api/schemas';
import type { ProjectStore } from './project.store';

/** The figures of a run as a person reads them, each with its unit. */
export function figuresOf(
  run: ApiRun,
  store: InstanceType<typeof ProjectStore>,
): { name: string; label: string; text: string }[] {
  const specs = store.methodMap().get(run.method)?.figures;
  const infoOf = (id: string | undefined) => (id ? store.datasetEntityMap()[id]?.info : undefined);
  const of = { band: infoOf(datasetsIn(run.inputs)[0]), result: infoOf(run.outputs[0]) };
  return Object.entries(run.figures).map(([name, v]) => ({
    name,
    label: specs?.[name]?.label ?? name,
    text:
      v === null ? '–' : typeof v === 'number' ? formatFigure(v, figureUnit(specs?.[name]?.unit, run.params, of)) : v,
  }));
}
