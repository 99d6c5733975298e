import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { colouredClasses, formatNumber, type RasterInfo } from '@helk/core';
import { readClassTable, writeClassTable } from '@helk/core/formats/class-table';
import { ClassPalettes } from '../palette/class-palettes';
import { chosenFile, saveText } from '../parts/save';
import { ProjectStore } from '../state/project.store';

/** Names and colours of a raster's classes; they belong to the dataset, so every pane shows the change. */
@Component({
  selector: 'helk-class-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ClassPalettes],
  host: { class: 'block', 'data-testid': 'class-editor' },
  template: `
    <div class="max-h-[240px] overflow-auto border border-line rounded-[5px] bg-leaf">
      @for (c of classes(); track c.value) {
        <div class="flex items-center gap-2 px-2 h-[30px]">
          <input
            type="color"
            class="w-[22px] !h-[18px] !min-h-0 !p-0 flex-none"
            [value]="c.colour"
            (change)="put(c.value, { colour: $any($event.target).value })"
            [attr.aria-label]="'Colour of class ' + c.value"
          />
          <span class="num w-7 text-right text-ink-2">{{ c.value }}</span>
          <input
            class="flex-1 min-w-0 !min-h-[24px] !py-0"
            [value]="c.label"
            (change)="put(c.value, { label: $any($event.target).value })"
            [attr.aria-label]="'Name of class ' + c.value"
          />
          <span class="num text-ink-2 text-[11.5px] w-[72px] text-right">{{ c.cells }}</span>
        </div>
      }
    </div>
    <div class="flex gap-3 text-[12.5px] mt-1.5">
      <span class="flex-1 text-ink-2">cells on the right</span>
      <button class="link" (click)="save()">Save</button>
      <label class="link cursor-pointer"
        >Load<input type="file" class="sr-only" accept=".json" (change)="load($any($event.target))"
      /></label>
    </div>
    <helk-class-palettes class="mt-1" [colours]="colours()" [labels]="labels()" (put)="paintAll($event)" />
  `,
})
export class ClassEditor {
  readonly dataset = input.required<string>();
  readonly info = input.required<RasterInfo>();
  readonly band = input(0);
  private readonly store = inject(ProjectStore);
  protected readonly classes = computed(() => {
    const b = this.info().bands[this.band()]!;
    const values = b.facts?.values ?? [];
    return colouredClasses(
      b.classes,
      values.map((v) => v.value),
    ).map((c) => ({ ...c, cells: formatNumber(values.find((v) => v.value === c.value)?.cells ?? 0) }));
  });

  protected readonly colours = computed(() => this.classes().map((c) => c.colour));

  protected readonly labels = computed(() => this.classes().map((c) => c.label));

  private keep(all: { value: number; label: string; colour: string | null }[]): void {
    void this.store.patchDataset(this.dataset(), {
      band: this.band(),
      classes: all.map(({ value, label, colour }) => ({ value, label, colour })),
    });
  }

  protected put(value: number, patch: { label?: string; colour?: string }): void {
    this.keep(this.classes().map((c) => (c.value === value ? { ...c, ...patch } : c)));
  }

  protected paintAll(colours: readonly string[]): void {
    this.keep(this.classes().map((c, i) => ({ ...c, colour: colours[i]! })));
  }

  protected save(): void {
    saveText(
      writeClassTable(this.classes().map(({ value, label, colour }) => ({ value, label, colour }))),
      'classes.json',
      'application/json',
    );
  }

  protected async load(field: HTMLInputElement): Promise<void> {
    const file = chosenFile(field);
    if (!file) return;
    await this.store.guarded(async () => {
      const all = readClassTable(await file.text());
      this.keep(
        this.classes().map((c) => {
          const n = all.find((x) => x.value === c.value) ?? all.find((x) => x.label === c.label);
          return n ? { value: c.value, label: n.label, colour: n.colour ?? c.colour } : c;
        }),
      );
    });
  }
}
