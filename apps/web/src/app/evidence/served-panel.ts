import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { dataOf, formatDuration, formatNumber, valueOf, type Table } from '@helk/core';
import { FeatureData } from '../state/feature-data';
import { Looks } from '../state/looks';
import { ProjectStore, type DatasetItem } from '../state/project.store';

/** Hues by which several reaches are told apart, from the theme's data colours. */
const HUES = ['#2f7265', '#6d3f73', '#a8862f', '#3f6a9a', '#8f5a3c', '#5d6a2f'];

/** How many people are within each limit, as bars; those of other reaches beside them, where the same people were counted. */
@Component({
  selector: 'helk-served-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'block flex-1 min-w-0 overflow-auto', 'data-testid': 'served' },
  template: `
    <p class="px-3.5 pt-1.5 text-[12.5px] text-ink-2">{{ told() }}</p>
    <div class="px-3.5 py-1 grid gap-2">
      @for (g of groups(); track g.limit) {
        <div class="grid grid-cols-[64px_1fr] items-center gap-x-3">
          <span class="num text-ink-2 text-[12px]">{{ g.limit }}</span>
          <div class="grid gap-[3px]">
            @for (b of g.bars; track b.name) {
              <div class="flex items-center gap-2 text-[12px]">
                <span class="flex-1 max-w-[560px] bg-line-soft h-[14px] rounded-[2px] overflow-hidden"
                  ><span class="block h-full" [style.width.%]="100 * b.share" [style.background]="b.colour"></span
                ></span>
                <span class="num w-[58px] text-right">{{ b.percent }} %</span>
                <span class="num w-[72px] text-right text-ink-2">{{ b.count }}</span>
                <span class="flex-none w-[200px] truncate text-ink-2" [title]="b.name">{{ b.name }}</span>
              </div>
            }
          </div>
        </div>
      }
    </div>
  `,
})
export class ServedPanel {
  readonly item = input.required<DatasetItem>();
  private readonly project = inject(ProjectStore);
  private readonly data = inject(FeatureData);
  private readonly looks = inject(Looks);

  /** This table, and others of the same people. */
  private readonly beside = computed(() => {
    const own = this.item();
    const counted = (d: DatasetItem): string | null => {
      const run = this.project.madeBy(d);
      return run && this.looks.shows(d)?.panel?.id === 'served'
        ? JSON.stringify([run.inputs['people'], run.params['column']])
        : null;
    };
    const key = counted(own);
    return [
      own,
      ...this.project.datasetEntities().filter((d) => d.id !== own.id && key !== null && counted(d) === key),
    ];
  });
  private readonly rows = computed(() =>
    this.beside().flatMap((d, k) => {
      const t = dataOf('table', this.data.now(d.id));
      return t ? rowsOf(t).map((r) => ({ ...r, name: d.name, colour: HUES[k % HUES.length]! })) : [];
    }),
  );
  protected readonly groups = computed(() => {
    const limits = [...new Set(this.rows().map((r) => r.limit))].sort((a, b) => (a ?? 0) - (b ?? 0));
    return limits.map((limit) => ({
      limit: limit === null ? 'all of it' : formatDuration(limit),
      bars: this.rows()
        .filter((r) => r.limit === limit)
        .map((r) => ({
          ...r,
          percent: formatNumber(100 * r.share, 10),
          count: formatNumber(Math.round(r.count)),
        })),
    }));
  });
  protected readonly told = computed(() => {
    const own = this.item();
    const run = this.project.madeBy(own);
    const people = this.project.datasetEntityMap()[run?.inputs['people']?.[0] ?? ''];
    const total = run?.figures['total'];
    const how =
      people && 'geometry' in people.info && people.info.geometry === 'polygon'
        ? ', areas by the share that is reached'
        : '';
    return `${typeof total === 'number' ? `${formatNumber(total)} ` : ''}${String(run?.params['column'] ?? 'people')}${people ? ` of ${people.name}` : ''}${how}`;
  });
}

function rowsOf(t: Table): { limit: number | null; count: number; share: number }[] {
  const column = (name: string) => t.columns.find((c) => c.name === name);
  const [limit, count, share] = [column('limit'), column('count'), column('share')];
  if (!count || !share) return [];
  return Array.from({ length: count.values.length }, (_, i) => ({
    limit: limit ? Number(valueOf(limit, i)) : null,
    count: Number(valueOf(count, i)),
    share: Number(valueOf(share, i) ?? 0),
  }));
}
