import { computed, effect, inject, Injectable, signal, untracked } from '@angular/core';
import type { MethodDescription } from '@helk/core';
import type { ApiRecipe } from '@helk/core/api/schemas';
import { emptyRecipe, type Library } from '@helk/core/recipe/edit';
import { SIMULATE } from '@helk/core/recipe/names';
import { parseRecipe, type Recipe } from '@helk/core/recipe/shape';
import { Api } from '../api/api';
import { BenchStore, type Stage } from './bench.store';
import { ProjectStore } from './project.store';

/** What lies in the middle of the workbench in place of the panes. */
export type Lying =
  | { what: 'made'; ids: string[] }
  | { what: 'recipe'; id: string }
  | { what: 'table'; id: string }
  | { what: 'sheet'; id: string }
  | { what: 'report'; id: string };

/** The stage that each belongs to. */
const STAGE: Record<Lying['what'], Stage> = {
  made: 'recipes',
  recipe: 'recipes',
  table: 'recipes',
  sheet: 'sheets',
  report: 'sheets',
};

/** A recipe that is being changed: as it is now, and how it was before each change. */
interface Draft {
  now: Recipe;
  before: Recipe[];
}

type Looked = Pick<ApiRecipe, 'checks' | 'method'>;

/** After how long without another change a recipe is looked at, ms. */
const LOOK = 150;

/** What is read and written at the desk: how results were made, recipes, run tables. */
@Injectable({ providedIn: 'root' })
export class Desk {
  private readonly store = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  private readonly api = inject(Api);
  readonly lying = signal<Lying | null>(null);
  private readonly drafts = signal<Readonly<Record<string, Draft>>>({});
  private readonly seen = signal<{ recipe: Recipe; looked: Looked } | null>(null);

  /** Methods that a step can be of: those of the catalogue. */
  readonly library = computed((): Library => new Map(this.store.builtIn().map((m) => [m.id, m])));

  /** The stage that what lies on the desk belongs to. */
  readonly stage = computed((): Stage | null => {
    const l = this.lying();
    return l && STAGE[l.what];
  });
  /** The recipe on the desk as the server knows it. */
  readonly entry = computed(() => {
    const l = this.lying();
    return l?.what === 'recipe' ? this.store.recipes().find((r) => r.id === l.id) : undefined;
  });
  /** The same as it is being written. */
  readonly recipe = computed((): Recipe | undefined => {
    const e = this.entry();
    return e && (this.drafts()[e.id]?.now ?? e.recipe);
  });
  readonly changed = computed(() => {
    const e = this.entry();
    return e !== undefined && e.id in this.drafts();
  });
  readonly canUndo = computed(() => (this.drafts()[this.entry()?.id ?? '']?.before.length ?? 0) > 0);
  /** What is wrong with it as it is being written. */
  readonly looked = computed((): Looked | undefined => {
    const seen = this.seen();
    return this.changed() ? (seen?.recipe === this.recipe() ? seen?.looked : undefined) : this.entry();
  });
  readonly table = computed(() => {
    const l = this.lying();
    return l?.what === 'table' ? this.store.tables().find((t) => t.id === l.id) : undefined;
  });

  constructor() {
    effect((done) => {
      const recipe = this.recipe();
      if (!recipe || !this.changed()) return;
      const abort = new AbortController();
      const timer = setTimeout(() => {
        this.api.checkRecipe(recipe, abort.signal).then(
          (looked) => this.seen.set({ recipe, looked }),
          () => undefined,
        );
      }, LOOK);
      done(() => {
        clearTimeout(timer);
        abort.abort();
      });
    });
    // A run sheet, and a work, are looked at with the panes.
    effect(() => {
      if (this.bench.sheet() ?? this.bench.work()) untracked(() => this.lying.set(null));
    });
    // What belongs to another project is not on this desk.
    let project = '';
    effect(() => {
      const id = this.store.project()?.id ?? '';
      if (project && id !== project)
        untracked(() => {
          this.lying.set(null);
          this.drafts.set({});
        });
      project = id || project;
    });
  }

  lay(lying: Lying): void {
    if (this.bench.work()) this.bench.leaveWork();
    this.lying.set(lying);
    this.bench.set({ stage: this.stage(), askOpen: false, sheet: null });
  }

  clear(): void {
    this.lying.set(null);
  }

  /** Changes the recipe on the desk; the change can be taken back. */
  change(how: (r: Recipe) => Recipe): void {
    const [e, now] = [this.entry(), this.recipe()];
    if (!e || !now) return;
    const next = how(now);
    if (next === now) return;
    const before = [...(this.drafts()[e.id]?.before ?? []), now].slice(-60);
    this.drafts.update((d) => ({ ...d, [e.id]: { now: next, before } }));
  }

  undo(): void {
    const e = this.entry();
    const d = e && this.drafts()[e.id];
    const last = d?.before.at(-1);
    if (!e || !d || !last) return;
    if (d.before.length === 1) this.discard();
    else this.drafts.update((all) => ({ ...all, [e.id]: { now: last, before: d.before.slice(0, -1) } }));
  }

  discard(): void {
    const id = this.entry()?.id;
    this.drafts.update((all) => Object.fromEntries(Object.entries(all).filter(([k]) => k !== id)));
  }

  /** Keeps the recipe on the desk as its next version; answers whether that worked. */
  async save(): Promise<boolean> {
    const [p, e, r] = [this.store.project(), this.entry(), this.recipe()];
    if (!p || !e || !r) return false;
    if (!this.changed()) return true;
    const saved = await this.store.guarded(() => this.api.saveRecipe(p.id, e.id, r));
    if (!saved) return false;
    this.store.written({ recipes: [saved] });
    this.discard();
    return true;
  }

  /** Makes a recipe of how some results were made. */
  async lift(ids: readonly string[], title: string): Promise<void> {
    const p = this.store.project();
    if (!p) return;
    const made = await this.store.guarded(async () => {
      const recipe = await this.api.liftRecipe(p.id, ids);
      const names = ids.map((id) => this.store.datasetEntityMap()[id]?.name ?? '').join(' and ');
      const about = `Lifted from “${names}” on ${new Date().toISOString().slice(0, 10)}.`;
      return this.api.createRecipe(p.id, { ...recipe, title, about });
    });
    this.show(made);
  }

  async begin(): Promise<void> {
    const p = this.store.project();
    if (p) this.show(await this.store.guarded(() => this.api.createRecipe(p.id, emptyRecipe('New recipe'), true)));
  }

  async openFile(file: File): Promise<void> {
    const p = this.store.project();
    if (!p) return;
    this.show(await this.store.guarded(async () => this.api.createRecipe(p.id, parseRecipe(await file.text()))));
  }

  private show(made: ApiRecipe | undefined): void {
    if (!made) return;
    this.store.written({ recipes: [made] });
    this.lay({ what: 'recipe', id: made.id });
  }

  async bringBack(version: number): Promise<void> {
    const [p, e] = [this.store.project(), this.entry()];
    if (!p || !e) return;
    const old = await this.store.guarded(() => this.api.recipeVersion(p.id, e.id, version));
    if (old) this.change(() => old);
  }

  /** The run sheet of the recipe on the desk; what has been changed is kept first. */
  async run(): Promise<void> {
    if (!(await this.save())) return;
    const m = this.entry()?.method as MethodDescription | null | undefined;
    if (m) this.bench.openSheet(m.id);
  }

  /** The sheet that draws from the errors of what goes in. */
  async simulate(): Promise<void> {
    if (!(await this.save())) return;
    const e = this.entry();
    if (e?.method) this.bench.openSheet(SIMULATE, {}, { recipe: e.id });
  }

  async remove(what: 'recipe' | 'table', id: string, title: string): Promise<void> {
    const away = await this.store.putAway(id, `“${title}” was removed.`, (p) =>
      what === 'recipe' ? this.api.deleteRecipe(p, id) : this.api.deleteTable(p, id),
    );
    const l = this.lying();
    if (away && l && 'id' in l && l.id === id) this.clear();
    if (away && this.bench.sheet()?.method === `recipe:${id}`) this.bench.set({ sheet: null });
  }
}
