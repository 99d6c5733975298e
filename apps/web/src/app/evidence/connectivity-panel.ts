import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { dataOf, formatNumber, ofKind } from '@helk/core';
import { FeatureData } from '../state/feature-data';
import { Neighbourhood } from '../state/neighbourhood';
import { Picks } from '../state/picks';
import { ProjectStore, type DatasetItem } from '../state/project.store';

/** How many features have how many neighbours; a bar picks those. */
@Component({
  selector: 'helk-connectivity-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'flex flex-1 min-w-0 min-h-0 gap-5 px-3.5 py-2', 'data-testid': 'connectivity' },
  template: `
    @if (info(); as w) {
      <div class="flex-1 min-w-0 flex flex-col">
        <p class="text-[12px] text-ink-2 flex-none">features by how many neighbours they have; a click picks them</p>
        <div class="flex-1 min-h-0 flex items-end gap-[3px] overflow-x-auto">
          @for (b of bars(); track b.neighbours) {
            <button
              class="h-full flex-1 min-w-[18px] max-w-[64px] flex flex-col justify-end group"
              [disabled]="!b.count"
              (click)="pick(b.neighbours)"
              [title]="b.count + ' with ' + b.words"
              [attr.aria-label]="b.count + ' with ' + b.words"
              [attr.data-testid]="'with-' + b.neighbours"
            >
              <span class="num text-[11px] text-ink-2 text-center">{{ b.count || '' }}</span>
              <span
                class="block relative group-hover:opacity-80"
                [style.height.%]="b.height"
                [style.background]="'var(--act)'"
                ><span
                  class="absolute bottom-0 inset-x-0"
                  style="background: var(--pick)"
                  [style.height.%]="b.picked"
                ></span
              ></span>
              <span class="num text-[11px] text-center border-t border-line pt-0.5">{{ b.neighbours }}</span>
            </button>
          }
        </div>
      </div>
      <dl class="w-[268px] flex-none grid grid-cols-[auto_1fr] gap-x-3 gap-y-0.5 text-[12.5px] content-start">
        @for (r of facts(); track r.name) {
          <dt class="text-ink-2">{{ r.name }}</dt>
          <dd class="num text-right">{{ r.value }}</dd>
        }
      </dl>
    }
  `,
})
export class ConnectivityPanel {
  readonly item = input.required<DatasetItem>();
  private readonly data = inject(FeatureData);
  private readonly picks = inject(Picks);
  private readonly project = inject(ProjectStore);
  private readonly near = inject(Neighbourhood);

  protected readonly info = computed(() => ofKind('weights', this.item().info));
  private readonly lines = computed(() => dataOf('features', this.data.now(this.item().id)));
  /** Neighbours of each feature, itself not counted. */
  private readonly counts = computed(() => {
    const [w, lines] = [this.info(), this.lines()];
    const [from, to, weight] = ['from', 'to', 'weight'].map(
      (n) => lines?.columns.find((c) => c.name === n)?.values as Float64Array | undefined,
    );
    if (!w || !from || !to || !weight) return null;
    const out = new Uint32Array(w.places);
    for (let k = 0; k < from.length; k++) if (weight[k] === weight[k] && from[k] !== to[k]) out[from[k]! - 1]!++;
    return out;
  });
  private readonly source = computed(() => this.near.sourceOf(this.item()));
  protected readonly bars = computed(() => {
    const all = this.info()?.connectivity ?? [];
    const most = all.reduce((a, b) => Math.max(a, b), 1);
    const [counts, picked] = [this.counts(), this.picks.of(this.source()?.id)];
    const own = new Uint32Array(all.length);
    if (counts && picked)
      counts.forEach((c, i) => {
        if (picked[i]) own[Math.min(c, own.length - 1)]!++;
      });
    return all.map((count, neighbours) => ({
      neighbours,
      count,
      words: neighbours === 1 ? 'one neighbour' : `${neighbours} neighbours`,
      height: (78 * count) / most,
      picked: count ? (100 * own[neighbours]!) / count : 0,
    }));
  });
  protected readonly facts = computed(() => {
    const w = this.info();
    if (!w) return [];
    return [
      { name: 'rule', value: w.made },
      { name: 'features', value: formatNumber(w.places) },
      { name: 'links', value: formatNumber(w.links) },
      { name: 'neighbours', value: `${formatNumber(w.mean, 10)}, ${w.min} to ${w.max}` },
      { name: 'without any', value: formatNumber(w.islands) },
      { name: 'parts', value: formatNumber(w.components) },
      { name: 'rows add up to 1', value: w.standardised ? 'yes' : 'no' },
      { name: 'links run both ways', value: w.symmetric ? 'yes' : 'no' },
      { name: 'of', value: this.source()?.name ?? 'features not here' },
    ];
  });

  protected pick(neighbours: number): void {
    const [counts, source] = [this.counts(), this.source()];
    if (!counts) return;
    if (!source) {
      this.project.notify('The features that these were made from are not in the project.', 'refused');
      return;
    }
    this.picks.pick(
      source.id,
      Uint8Array.from(counts, (c) => (c === neighbours ? 1 : 0)),
    );
  }
}
