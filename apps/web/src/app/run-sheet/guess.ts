import { inject, Injectable } from '@angular/core';
import { misfit, type InputSpec, type MethodDescription } from '@helk/core';
import { clientKind } from '../kinds';
import { BenchStore } from '../state/bench.store';
import { Chosen } from '../state/chosen';
import { ProjectStore, type DatasetItem } from '../state/project.store';

/** What a fresh run sheet begins with: what is chosen and shown, where it fits. */
@Injectable({ providedIn: 'root' })
export class Guess {
  private readonly bench = inject(BenchStore);
  private readonly chosen = inject(Chosen);
  private readonly store = inject(ProjectStore);

  fitting(spec: InputSpec): DatasetItem[] {
    return this.store.datasetEntities().filter((d) => misfit(spec, d.info) === null);
  }

  inputsFor(method: MethodDescription): Record<string, string[]> {
    const out: Record<string, string[]> = {};
    const selected = this.bench.selectedItem();
    const together = this.chosen.ids();
    const used = new Set<string>();
    const shown = this.bench
      .panes()
      .flatMap((p) => p.layers.map((l) => l.dataset))
      .reverse();
    for (const [role, spec] of Object.entries(method.inputs)) {
      const fits = this.fitting(spec);
      if (spec.many) {
        out[role] = this.several(spec, fits, together, shown).map((d) => d.id);
        continue;
      }
      // A dataset named like the role stands in it: "veyra-mapped-streams" for mapped.
      const named = fits.find(
        (d) =>
          role.length > 2 &&
          clientKind(d.info).goes === 'on top' &&
          d.name.toLowerCase().includes(role.toLowerCase()) &&
          !used.has(d.id),
      );
      if (spec.least === 0 && !spec.eager && !named) continue;
      const free = (id: string | undefined): DatasetItem | undefined =>
        fits.find((d) => d.id === id && !used.has(d.id));
      const pick =
        together.map(free).find(Boolean) ??
        free(selected?.id) ??
        this.relative(fits, used) ??
        named ??
        shown.map(free).find(Boolean) ??
        [...fits].reverse().find((d) => !used.has(d.id));
      if (pick) {
        out[role] = [pick.id];
        used.add(pick.id);
      }
    }
    return out;
  }

  /** Those of what is chosen together that a method could be run on one by one, and the input for them; null for fewer than two. */
  each(method: MethodDescription): { role: string; refs: string[] } | null {
    const together = this.chosen.items();
    if (together.length < 2) return null;
    const [role, spec] = Object.entries(method.inputs)[0] ?? [];
    if (!role || !spec || spec.many) return null;
    const refs = together.filter((d) => misfit(spec, d.info) === null).map((d) => d.id);
    return refs.length > 1 ? { role, refs } : null;
  }

  private several(
    spec: InputSpec,
    fits: readonly DatasetItem[],
    together: readonly string[],
    shown: readonly string[],
  ): DatasetItem[] {
    const chosen = fits.filter((d) => together.includes(d.id));
    if (chosen.length > 1) return chosen;
    const selected = this.bench.selectedItem();
    if (spec.least < 2 && selected && !selected.batch && fits.some((d) => d.id === selected.id)) return [selected];
    const batch = selected?.batch ?? [...fits].reverse().find((d) => d.batch)?.batch;
    const set = fits.filter((d) => batch && d.batch === batch);
    return set.length ? set : fits.filter((d) => shown.includes(d.id));
  }

  /** What was made as one that stands in another role already was: two results of one method are held against each other. */
  private relative(fits: readonly DatasetItem[], used: ReadonlySet<string>): DatasetItem | undefined {
    const there = this.store.datasetEntityMap();
    const kin = (d: DatasetItem): string | null => {
      const method = this.store.madeBy(d)?.method;
      return method && method !== 'import' ? `${method} ${d.role}` : null;
    };
    const own = [...used].map((id) => kin(there[id]!)).filter((k) => k !== null);
    return fits.findLast((d) => !used.has(d.id) && own.includes(kin(d)!));
  }
}
