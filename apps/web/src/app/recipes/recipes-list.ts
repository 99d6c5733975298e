import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { Desk } from '../state/desk';
import { ProjectStore } from '../state/project.store';
import { Tables } from '../state/tables';

/** Recipes and run tables of the project. */
@Component({
  selector: 'helk-recipes-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <header class="px-4 pt-3 pb-1"><h2 class="font-[600]">Recipes</h2></header>
    <h3 class="voice italic text-[15px] text-ink-2 px-4 pt-1 pb-1">Written from what worked</h3>
    @for (r of recipes(); track r.id) {
      <button
        class="row"
        [class.bg-act-soft]="r.on"
        (click)="desk.lay({ what: 'recipe', id: r.id })"
        [attr.data-testid]="'recipe-' + r.title"
      >
        <span class="block font-[600] text-[13.5px] truncate" [title]="r.title">{{ r.title }}</span>
        <span class="block text-[12px] text-ink-2">{{ r.words }}</span>
      </button>
    } @empty {
      <p class="px-4 py-1 text-[12.5px] text-ink-2">
        None yet. Choose a result in the ledger and ask <i>how this was made</i>: what worked becomes a recipe. Or begin
        with nothing.
      </p>
    }
    <div class="flex gap-4 px-4 py-2 text-[12.5px]">
      <button class="link" (click)="desk.begin()" data-testid="new-recipe">Begin a new one</button>
      <button class="link" (click)="file.click()">Open a file</button>
      <input
        #file
        type="file"
        accept=".json,application/json"
        class="hidden"
        data-testid="recipe-file"
        (change)="open(file)"
      />
    </div>
    <h3 class="voice italic text-[15px] text-ink-2 px-4 pt-4 pb-1">Run tables</h3>
    @for (t of all(); track t.id) {
      <button
        class="row"
        [class.bg-act-soft]="t.on"
        (click)="desk.lay({ what: 'table', id: t.id })"
        [attr.data-testid]="'table-' + t.title"
      >
        <span class="block font-[600] text-[13.5px] truncate" [title]="t.title">{{ t.title }}</span>
        <span class="block text-[12px] text-ink-2">{{ t.words }}</span>
      </button>
    } @empty {
      <p class="px-4 py-1 text-[12.5px] text-ink-2">
        None yet. Any run sheet, and any recipe, can be run many times: a row a run.
      </p>
    }
  `,
  styles: `
    .row {
      display: block;
      width: calc(100% - 16px);
      margin: 0 8px;
      padding: 7px 10px;
      text-align: left;
      border-radius: 5px;
    }
    .row:hover {
      background: var(--act-soft);
    }
  `,
})
export class RecipesList {
  protected readonly desk = inject(Desk);
  private readonly store = inject(ProjectStore);
  private readonly tables = inject(Tables);
  protected readonly recipes = computed(() => {
    const l = this.desk.lying();
    return this.store.recipes().map((r) => {
      const times = this.store.runEntities().filter((x) => x.method === `recipe:${r.id}` && x.state === 'done').length;
      const n = r.recipe.steps.length;
      const ran = times ? `ran ${times === 1 ? 'once' : `${times} times`}` : 'never ran';
      return {
        id: r.id,
        title: r.recipe.title,
        on: l?.what === 'recipe' && l.id === r.id,
        words: `${n} ${n === 1 ? 'step' : 'steps'} · ${r.method ? ran : 'not finished'}`,
      };
    });
  });
  protected readonly all = computed(() => {
    const l = this.desk.lying();
    return this.store.tables().map((t) => ({
      id: t.id,
      title: t.title,
      on: l?.what === 'table' && l.id === t.id,
      words: this.tables.words(t),
    }));
  });

  protected open(file: HTMLInputElement): void {
    const [f] = file.files ?? [];
    file.value = '';
    if (f) void this.desk.openFile(f);
  }
}
