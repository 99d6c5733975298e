import { ChangeDetectionStrategy, Component, computed, effect, inject, input, untracked } from '@angular/core';
import { displayUnit, formatNumber, ofKind } from '@helk/core';
import { Looks } from '../state/looks';
import { Picks } from '../state/picks';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { HistogramChart } from './histogram';
import { Steps } from './steps';

/** What a run changed: how often by how much, and where most. Of a difference itself, or of the result beside it that holds the change. */
@Component({
  selector: 'helk-changed-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [HistogramChart],
  host: { class: 'flex flex-1 min-w-0 min-h-0' },
  template: `
    @if (change(); as c) {
      <helk-histogram
        class="flex-1 min-w-0"
        [band]="c.band"
        [scale]="null"
        [log]="true"
        [label]="c.label"
        [picked]="picked()"
        (chosen)="choose($event)"
      />
      <div class="w-[216px] flex-none overflow-auto border-l border-line-soft">
        <div class="text-[12px] px-3 py-1.5 text-ink-2">{{ c.heading }}</div>
        @for (x of c.list; track $index) {
          <button
            class="flex justify-between w-full px-3 h-[26px] items-center num hover:bg-act-soft"
            (click)="steps.go(c.item, x.column, x.row, 1, 1)"
          >
            <span>no. {{ $index + 1 }}</span
            ><span>{{ number(x.value) }} {{ unit(c.band.unit) }}</span>
          </button>
        }
      </div>
    } @else {
      <p class="p-4 text-ink-2">What holds the change has been removed.</p>
    }
  `,
})
export class ChangedPanel {
  readonly item = input.required<DatasetItem>();
  private readonly store = inject(ProjectStore);
  private readonly looks = inject(Looks);
  private readonly picks = inject(Picks);
  protected readonly steps = inject(Steps);
  protected readonly unit = displayUnit;
  protected readonly number = (v: number): string => formatNumber(v, Math.abs(v) < 1000 ? 100 : 1e5);

  protected readonly change = computed(() => {
    const d = this.item();
    const panel = this.looks.shows(d)?.panel;
    const item = panel?.of ? this.store.datasetEntities().find((x) => x.runId === d.runId && x.role === panel.of) : d;
    const band = ofKind('raster', item?.info)?.bands[0];
    if (!item || !band?.facts) return null;
    return {
      item,
      band,
      list: band.facts.extremes ?? [],
      label: panel?.values ?? band.name,
      heading: panel?.list ?? 'Furthest from zero',
    };
  });
  protected readonly picked = computed((): [number, number] | null => {
    const r = this.picks.range();
    return r && r.dataset === this.change()?.item.id ? [r.low, r.high] : null;
  });

  constructor() {
    effect(() => {
      const id = this.change()?.item.id;
      if (id) untracked(() => void this.store.look(id));
    });
  }

  protected choose([low, high]: [number, number]): void {
    const id = this.change()?.item.id;
    if (id) this.picks.range.set({ dataset: id, band: 0, low, high });
  }
}
