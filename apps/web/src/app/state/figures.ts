import { figureUnit, figureWords } from '@helk/core';
import { datasetsIn } from '@helk/core/api/refs';
import type { ApiRun } from '@helk/core/api/schemas';
import type { ProjectStore } from './project.store';

export interface FigureTold {
  name: string;
  label: string;
  text: string;
  /** Of a step of a recipe that is only on the way. */
  minor: boolean;
}

/** The figures of a run as a person reads them, each with its unit; of a recipe those of the steps whose results are kept first. */
export function figuresOf(run: ApiRun, store: InstanceType<typeof ProjectStore>): FigureTold[] {
  const specs = store.methodMap().get(run.method)?.figures;
  const infoOf = (id: string | undefined) => (id ? store.datasetEntityMap()[id]?.info : undefined);
  const of = { band: infoOf(datasetsIn(run.inputs)[0]), result: infoOf(run.outputs[0]) };
  if (run.steps.length) {
    const kept = new Set(Object.values(run.made).map((m) => m.step));
    const told = run.steps.flatMap((s) =>
      Object.entries(s.figures).map(([name, v]): FigureTold => {
        const label = store.methodMap().get(s.method)?.figures[name]?.label ?? name;
        const minor = !kept.has(s.id);
        return {
          name: `${s.id}.${name}`,
          label: minor ? `${s.title}: ${label}` : label,
          text: figureWords(v, s.units[name] ?? ''),
          minor,
        };
      }),
    );
    return [...told.filter((f) => !f.minor), ...told.filter((f) => f.minor)];
  }
  return Object.entries(run.figures).map(([name, v]) => ({
    name,
    label: specs?.[name]?.label ?? name,
    text: figureWords(v, figureUnit(specs?.[name]?.unit, run.params, of)),
    minor: false,
  }));
}
