import { infoOf, type Dataset } from '../data/kinds';
import { methodOf } from '../method/registry';
import { runMethod } from '../method/run';
import type { Past, PastDataset, PastRun } from './history';

/** A project in which methods are run one by one. */
export class Survey {
  readonly datasets: Record<string, PastDataset & { data: Dataset }> = {};
  readonly runs: Record<string, PastRun> = {};
  private count = 0;

  take(name: string, data: Dataset): string {
    const id = `source${++this.count}`;
    this.datasets[id] = {
      id,
      name,
      note: '',
      kind: data.kind,
      info: infoOf(data),
      runId: null,
      role: null,
      step: null,
      data,
    };
    return id;
  }

  async run(method: string, inputs: Record<string, string[]>, params = {}, m = methodOf(method)): Promise<string[]> {
    const id = `run${++this.count}`;
    const data = Object.fromEntries(
      Object.entries(inputs).map(([role, ids]) => [role, ids.map((d) => this.datasets[d]!.data)]),
    );
    const names = Object.fromEntries(
      Object.entries(inputs).map(([role, ids]) => [role, ids.map((d) => this.datasets[d]!.name)]),
    );
    const done = await runMethod(m, data, params, { names });
    const made: PastRun['made'] = {};
    const out = done.outputs.map((o) => {
      const d = `result${++this.count}`;
      const [first, second] = o.role.split('.') as [string, string?];
      const [role, step] = second ? [second, first] : [first, null];
      const name = m.outputs[o.role]!.label;
      this.datasets[d] = {
        id: d,
        name,
        note: '',
        kind: o.data.kind,
        info: infoOf(o.data),
        runId: id,
        role,
        step,
        data: o.data,
      };
      made[d] = { role, step, name };
      return d;
    });
    const { figures, params: settled } = done;
    this.runs[id] = {
      id,
      method,
      version: m.version,
      title: m.title,
      inputs,
      params: settled,
      seed: 1,
      figures,
      steps: done.steps ?? [],
      made,
    };
    return out;
  }

  get past(): Past {
    return this;
  }
}
