import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { misfit } from '@helk/core';
import { BenchStore } from '../state/bench.store';
import { ProjectStore } from '../state/project.store';

/** All methods by family, each with the question it answers. */
@Component({
  selector: 'helk-methods-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <header class="px-4 pt-3 pb-1"><h2 class="font-[600]">Methods</h2></header>
    @for (f of families(); track f.name) {
      <h3 class="voice text-[15px] text-ink-2 px-4 pt-3 pb-1">{{ f.name }}</h3>
      @for (m of f.methods; track m.id) {
        <button
          class="block w-full text-left px-4 py-1.5 hover:bg-act-soft"
          (click)="bench.openSheet(m.id)"
          [title]="m.about"
        >
          <span class="block text-[13px]"
            ><span class="font-[550]">{{ m.title }}</span>
            @if (!m.fits) {
              <span class="text-[12px] text-ink-3"> (does not fit what is selected)</span>
            }
          </span>
          <span class="block text-[12px] text-ink-2 leading-snug">{{ m.question }}</span>
        </button>
      }
    }
  `,
})
export class MethodsList {
  protected readonly bench = inject(BenchStore);
  private readonly store = inject(ProjectStore);
  protected readonly families = computed(() => {
    const item = this.bench.selectedItem();
    const all = this.store
      .methods()
      .map((m) => ({ ...m, fits: !item || Object.values(m.inputs).some((s) => misfit(s, item.info) === null) }));
    // What the project has of its own is seen first.
    const families = [...new Set(all.map((m) => m.family))].sort(
      (a, b) => Number(b === 'recipe') - Number(a === 'recipe'),
    );
    return families.map((f) => ({
      name: all.find((m) => m.family === f)!.familyTitle,
      methods: all.filter((m) => m.family === f),
    }));
  });
}
