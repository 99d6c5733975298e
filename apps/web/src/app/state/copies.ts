import { Clipboard } from '@angular/cdk/clipboard';
import { inject, Injectable } from '@angular/core';
import { kindOf } from '@helk/core';
import { WRITE_FORMATS } from '@helk/core/formats/write-formats';
import { recipeIdIn, SIMULATE } from '@helk/core/recipe/names';
import { refOf } from '@helk/core/api/refs';
import type { ApiRun, ApiTable } from '@helk/core/api/schemas';
import { ProjectStore } from './project.store';

/** The same work, for a command line, over HTTP, and from a script. */
export interface Copies {
  command: string;
  call: string;
  code: string;
}

const quote = (s: string): string => (/^[\w.,:/=-]+$/.test(s) ? s : `'${s.replaceAll("'", `'\\''`)}'`);
const literal = (v: unknown): string => JSON.stringify(v);
/** A name as that of a file. */
const fileName = (title: string): string => title.replace(/[^\p{L}\p{N} ._-]+/gu, '-');

/** Runs, recipes and run tables as text that does the same elsewhere. */
@Injectable({ providedIn: 'root' })
export class Copier {
  private readonly store = inject(ProjectStore);
  private readonly clipboard = inject(Clipboard);

  copy(text: string): void {
    this.clipboard.copy(text);
    this.store.notify('Copied.');
  }

  private post = (path: string, body: unknown): string =>
    `curl -X POST ${location.origin}/api/projects/${this.store.project()?.id}/${path} -H 'Content-Type: application/json' -d '${JSON.stringify(body).replaceAll("'", `'\\''`)}'`;

  private script = (lines: string[]): string =>
    [
      `import { connect } from '@helk/client';`,
      '',
      `const helk = await connect(${literal(location.origin)});`,
      `const project = await helk.project(${literal(this.store.project()?.name ?? '')});`,
      ...lines,
      '',
    ].join('\n');

  private fileOf(ref: string): string {
    const { dataset, band } = refOf(ref);
    const d = this.store.datasetEntityMap()[dataset];
    if (!d) return 'removed';
    const file = d.source?.file ?? `${d.name}.${WRITE_FORMATS[kindOf(d.info).formats[0]!].extension}`;
    return band === null ? file : `${file}#${band + 1}`;
  }

  private nameOf(ref: string): string {
    const { dataset, band } = refOf(ref);
    const d = this.store.datasetEntityMap()[dataset];
    const alone = d && this.store.datasetEntities().filter((x) => x.name === d.name).length === 1;
    return (alone ? d.name : dataset) + (band === null ? '' : `#${band + 1}`);
  }

  private recipeFile = (id: string): string =>
    `${fileName(this.store.recipes().find((r) => r.id === id)?.recipe.title ?? 'recipe')}.json`;

  run(r: ApiRun): Copies {
    const recipe = recipeIdIn(r.method);
    const ins = Object.entries(r.inputs).flatMap(([role, ids]) =>
      ids.map((id) => `--in ${quote(`${role}=${this.fileOf(id)}`)}`),
    );
    const params = Object.entries(r.params).map(
      ([k, v]) =>
        // On the command line a recipe is a file.
        [k, r.method === SIMULATE && k === 'recipe' ? this.recipeFile(String(v).split('@')[0]!) : v] as const,
    );
    // Of a recipe what is fixed in it need not be said again.
    const fixed = this.store.methodMap().get(r.method)?.params;
    const told = params.filter(([k, v]) => !recipe || String(fixed?.[k]?.default) !== String(v));
    const sets = told.map(([k, v]) => `--set ${quote(`${k}=${String(v)}`)}`);
    const inputs = Object.fromEntries(
      Object.entries(r.inputs).map(([role, ids]) => [role, ids.map((i) => this.nameOf(i))]),
    );
    const given = Object.fromEntries(recipe ? told : Object.entries(r.params));
    return {
      command: [
        recipe ? './helk recipe run' : './helk run',
        recipe ? quote(this.recipeFile(recipe)) : r.method,
        ...ins,
        ...sets,
        `--seed ${r.seed}`,
        '--out results',
      ].join(' '),
      call: this.post('runs', { method: r.method, inputs: r.inputs, params: recipe ? given : r.params, seed: r.seed }),
      code: this.script([
        `const done = await project.run(${literal(r.method)}, {`,
        `  inputs: ${literal(inputs)},`,
        `  params: ${literal(given)},`,
        `  seed: ${r.seed},`,
        '});',
        'console.log(done.figures, done.results.map((d) => d.name));',
      ]),
    };
  }

  recipe(id: string): Copies {
    const r = this.store.recipes().find((x) => x.id === id)!;
    const inputs = Object.fromEntries(r.recipe.inputs.map((i) => [i.name, [`NAME OF ${i.label || i.name}`]]));
    return {
      command: [
        './helk recipe run',
        quote(this.recipeFile(id)),
        ...r.recipe.inputs.map((i) => `--in ${i.name}=FILE`),
        '--out results',
      ].join(' '),
      call: this.post('runs', {
        method: `recipe:${id}`,
        inputs: Object.fromEntries(r.recipe.inputs.map((i) => [i.name, ['DATASET']])),
        params: {},
      }),
      code: this.script([
        `const done = await project.runRecipe(${literal(r.recipe.title)}, { inputs: ${literal(inputs)} });`,
        'console.log(done.figures, done.results.map((d) => d.name));',
      ]),
    };
  }

  table(t: ApiTable): Copies {
    const recipe = recipeIdIn(t.method);
    return {
      command: [
        './helk table run',
        quote(`${fileName(t.title)}.csv`),
        recipe ? `--recipe ${quote(this.recipeFile(recipe))}` : `--method ${t.method}`,
        ...(t.names ? [`--names ${quote(t.names)}`] : []),
        '--out results',
      ].join(' '),
      call: this.post(`tables/${t.id}/run`, {}),
      code: this.script([
        `const rows = await project.runTable(${literal(t.title)});`,
        'console.log(rows.map((r) => [r.state, r.figures]));',
      ]),
    };
  }

  /** The rows of a table as a file that the command takes: datasets by the names of their files. */
  rowsOf = (t: ApiTable): string[][] => [
    t.columns,
    ...t.rows.map((r) =>
      t.columns.map((c, i) => {
        const cell = r.cells[i] ?? '';
        if (!c.startsWith('in:')) return cell;
        return cell
          .split(';')
          .map((ref) => (ref.trim() ? this.fileOf(ref.trim()) : ''))
          .join('; ');
      }),
    ),
  ];
}
