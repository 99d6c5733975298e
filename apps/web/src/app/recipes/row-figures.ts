import { figureUnit, type MethodDescription } from '@helk/core';
import { datasetsIn } from '@helk/core/api/refs';
import type { ApiRun } from '@helk/core/api/schemas';
import type { DatasetItem } from '../state/project.store';

export interface FigureSeen {
  name: string;
  label: string;
  unit: string;
}

/** The number that a cell begins with; null where it begins with none. */
export function leading(cell: string): number | null {
  const m = /^\s*[+-]?\d+(?:[.,]\d+)?(?:e[+-]?\d+)?/i.exec(cell);
  return m ? Number(m[0].replace(',', '.')) : null;
}

/** Figures that are numbers in some run; of a recipe those of the last step first. */
export function figuresOfRows(
  runs: readonly ApiRun[],
  m: MethodDescription | undefined,
  datasets: Readonly<Record<string, DatasetItem>>,
): FigureSeen[] {
  const names = [
    ...new Set(runs.flatMap((r) => Object.keys(r.figures).filter((f) => typeof r.figures[f] === 'number'))),
  ];
  const [run] = runs;
  if (!run) return [];
  const order = run.steps.map((s) => s.id);
  const step = (name: string): number => order.indexOf(name.split('.')[0]!);
  const of = {
    band: datasets[datasetsIn(run.inputs)[0] ?? '']?.info,
    result: datasets[run.outputs[0] ?? '']?.info,
  };
  return names
    .sort((a, b) => step(b) - step(a))
    .map((name) => {
      const [id, figure] = name.split('.') as [string, string?];
      const did = figure ? run.steps.find((s) => s.id === id) : undefined;
      const spec = m?.figures[name];
      return {
        name,
        label: spec?.label ?? name,
        unit: did?.units[figure!] ?? figureUnit(spec?.unit, run.params, of),
      };
    });
}
