import { own } from '../data/own';
import type { DatasetInfo } from '../data/kinds';
import { HelkError } from '../errors';
import type { Method } from '../method/define';
import { foresee, type Infos } from '../method/resolve';
import { kindOf } from '../data/kinds';
import type { History, Passage, Past, Read } from './history';
import { freeAmong, nameFrom } from './names';
import { methodOfStep, specsOf } from './reads';
import { likelySettings } from './settings';
import { recipeFrom, type Recipe, type RecipeInput, type Step } from './shape';

/** Roles that say nothing of what stands in them. */
const VAGUE = new Set(['raster', 'rasters', 'features', 'table', 'a', 'b', 'layer', 'points', 'cloud', 'stack']);

/**
 * A recipe of what worked: sources become its inputs (those that were taken together as one), runs its steps. Settings that the data had
 * suggested are left to the data again; those that usually change are offered; the others stay as they were.
 *
 * @throws HelkError `recipe.invalid` where there is nothing to lift, or something that cannot be a step
 */
export function lift(history: History, past: Past): Recipe {
  if (!history.passages.length)
    throw new HelkError('recipe.invalid', 'A source was not made by a method; pick a result to make a recipe of it.');
  const taken = new Set<string>();
  const inputs: (RecipeInput & { key: string })[] = [];
  const ids = new Map<string, string>();
  const inputFor = (reads: Read[], m: Method, role: string): string => {
    const spec = m.inputs[role]!;
    const key = reads.map((r) => r.key).join(' ');
    const known = inputs.find((i) => i.key === key && (i.many ?? false) === spec.many);
    if (known) return known.name;
    const own = reads[0]!;
    const source = history.sources.find((s) => s.id === own.key);
    const name = freeAmong(taken, VAGUE.has(role) ? nameFrom(reads.length > 1 ? role : own.name, role) : role);
    taken.add(name);
    const many = reads.length > 1 || (spec.many && reads.length === 1);
    inputs.push({
      key,
      name,
      kind: source?.dataset?.kind ?? spec.kind,
      label: VAGUE.has(role) && reads.length === 1 ? own.name : spec.label,
      ...(many ? { many: true } : {}),
    });
    return name;
  };
  const steps: Step[] = [];
  for (const p of history.passages) {
    const m = methodOfStep(p);
    if (!m) throw new HelkError('recipe.invalid', `“${p.title}” (${p.method}) cannot be a step of a recipe.`, p.method);
    const id = freeAmong(taken, m.id.split('.').pop()!);
    taken.add(id);
    ids.set(p.key, id);
    const given: Step['inputs'] = {};
    for (const [role, reads] of Object.entries(p.inputs)) {
      const spec = own(m.inputs, role);
      if (!spec || !reads.length) continue;
      const sources = reads.every((r) => r.role === null && r.band === null);
      const from = (r: Read): string =>
        (r.role === null
          ? inputFor([{ ...r, band: null }], { ...m, inputs: { [role]: { ...spec, many: false } } }, role)
          : `${ids.get(r.key)!}.${r.role}`) + (r.band === null ? '' : `#${r.band + 1}`);
      given[role] =
        spec.many && sources ? inputFor(reads, m, role) : reads.length === 1 ? from(reads[0]!) : reads.map(from);
    }
    const step: Step = { id, method: m.id, version: p.version, inputs: given, params: settingsFrom(p, m, past) };
    const makes = Object.fromEntries(
      p.makes.filter(({ role, name }) => !usualName(m, role, name)).map(({ role, name }) => [role, name]),
    );
    if (Object.keys(makes).length) step.makes = makes;
    if (p.seed !== 1 && m.random) step.seed = p.seed;
    const note = p.makes.map((x) => (x.dataset ? past.datasets[x.dataset]?.note : '')).find(Boolean);
    if (note) step.note = note.slice(0, 4000);
    steps.push({ ...step, open: likelySettings(step, specsOf(m)) });
  }
  const last = methodOfStep(steps.at(-1)!)!;
  return recipeFrom({
    helkRecipe: 1,
    title: last.title,
    question: last.question,
    about: '',
    inputs: inputs.map(({ key: _, ...i }) => i),
    steps,
    keep: history.results.filter((r) => r.role !== null).map((r) => `${ids.get(r.key)!}.${r.role!}`),
  });
}

/** Whether a result is called what the method calls it, with a number where there were several. */
const usualName = (m: Method, role: string, name: string): boolean => {
  const label = own(m.outputs, role)?.label ?? role;
  return name === label || (name.startsWith(`${label} `) && /^\d+$/.test(name.slice(label.length + 1)));
};

/** The settings of a run without those that the data suggest as they were, so that other data suggest theirs. */
function settingsFrom(p: Passage, m: Method, past: Past): Step['params'] {
  const specs = specsOf(m);
  const all = Object.fromEntries(
    Object.entries(p.params).filter(([name, v]) => Object.hasOwn(specs, name) && v !== null && v !== undefined),
  ) as Step['params'];
  const infos = infosOf(p, past);
  if (!infos) return all;
  try {
    const names = Object.keys(foresee(m, infos, all).suggestions).filter((n) => n in all);
    const without = Object.fromEntries(Object.entries(all).filter(([n]) => !names.includes(n)));
    const again = foresee(m, infos, without).plain;
    // Where one has been given by hand, it stays, and what followed from it.
    const same = names.filter((n) => JSON.stringify(again[n]) === JSON.stringify(all[n]));
    return Object.fromEntries(Object.entries(all).filter(([n]) => !same.includes(n)));
  } catch (e) {
    if (!(e instanceof HelkError)) throw e;
    return all;
  }
}

/** Descriptions of what a step read; null where something is not there any more. */
function infosOf(p: Passage, past: Past): Infos | null {
  const out: Infos = {};
  const idOf = (r: Read): string | undefined => {
    if (r.role === null) return r.key;
    const [runId, step] = r.key.split('/') as [string, string?];
    return Object.entries(past.runs[runId]?.made ?? {}).find(
      ([, m]) => m.role === r.role && (m.step ?? undefined) === step,
    )?.[0];
  };
  for (const [role, reads] of Object.entries(p.inputs))
    for (const r of reads) {
      const info: DatasetInfo | undefined = past.datasets[idOf(r) ?? '']?.info;
      if (!info) return null;
      (out[role] ??= []).push(r.band === null ? info : kindOf(info).pickInfo!(info, r.band));
    }
  return out;
}
