import { NgComponentOutlet } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, type Type } from '@angular/core';
import { clientKind } from '../kinds';
import type { EditorOf } from '../kinds/kind';
import { BenchStore } from '../state/bench.store';
import { Looks } from '../state/looks';
import { ProjectStore } from '../state/project.store';
import { InView } from './in-view';

/** How a dataset is drawn: everywhere, or in one pane in a way of its own; like another; and what its kind lets one choose. */
@Component({
  selector: 'helk-style-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgComponentOutlet],
  template: `
    <div
      class="popover w-[312px] p-3 text-[13px] grid grid-cols-1 gap-2.5"
      role="dialog"
      aria-label="Drawing"
      data-testid="style-editor"
    >
      @if (editor(); as e) {
        @if (of(); as o) {
          <ng-container *ngComponentOutlet="e; inputs: { of: o }" />
        }
      }
      <div class="border-t border-line-soft pt-2.5 grid grid-cols-1 gap-2">
        @if (others().length) {
          <label class="grid grid-cols-[92px_1fr] items-center gap-2"
            ><span>Draw like</span>
            <select class="min-w-0" aria-label="Draw like" data-testid="draw-like" (change)="like($any($event.target))">
              <option value="">choose a dataset …</option>
              @for (o of others(); track o.id) {
                <option [value]="o.id">{{ o.name }}</option>
              }
            </select></label
          >
        }
        <label class="flex items-center gap-2"
          ><input
            type="checkbox"
            data-testid="own-way"
            [checked]="own()"
            (change)="bench.setOwn(pane(), dataset(), $any($event.target).checked)"
          />Its own way in this pane</label
        >
      </div>
    </div>
  `,
})
export class StyleEditor {
  readonly pane = input.required<number>();
  readonly dataset = input.required<string>();
  protected readonly bench = inject(BenchStore);
  private readonly project = inject(ProjectStore);
  private readonly looks = inject(Looks);
  private readonly inView = inject(InView);
  protected readonly editor = signal<Type<unknown> | null>(null);
  private readonly item = computed(() => this.project.datasetEntityMap()[this.dataset()]);
  protected readonly own = computed(
    () =>
      this.bench
        .panes()
        .find((p) => p.id === this.pane())
        ?.layers.find((l) => l.dataset === this.dataset())?.own !== undefined,
  );
  protected readonly of = computed((): EditorOf<object> | null => {
    const item = this.item();
    const pane = this.bench.panes().find((p) => p.id === this.pane());
    if (!item || !pane) return null;
    const scales = this.bench.scales();
    return {
      item,
      look: this.looks.of(
        item,
        pane.layers.find((l) => l.dataset === item.id),
      ),
      scale: scales.get(`${pane.id}/${item.id}`) ?? null,
      over: pane.layers.some((l) => scales.has(`${pane.id}/${l.dataset}`)),
      put: this.put,
      spread: (column) => clientKind(item.info).spread?.(item.info as never, column) ?? null,
      stretch: () => void this.inView.stretch(this.pane(), this.dataset()),
    };
  });
  private readonly put = (patch: object): void => this.bench.restyle(this.pane(), this.dataset(), patch);
  /** Others of its kind, whose way of drawing it can take over. */
  protected readonly others = computed(() => {
    const d = this.item();
    return this.project.datasetEntities().filter((o) => d && o.id !== d.id && o.info.kind === d.info.kind);
  });

  constructor() {
    effect(() => {
      const d = this.item();
      if (d)
        void clientKind(d.info)
          .editor?.()
          .then((e) => this.editor.set(e));
    });
  }

  protected like(field: HTMLSelectElement): void {
    const d = this.project.datasetEntityMap()[field.value];
    field.value = '';
    if (d) this.bench.restyle(this.pane(), this.dataset(), this.looks.of(d));
  }
}
