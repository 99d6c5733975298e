import { ChangeDetectionStrategy, Component, computed, effect, inject, signal } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { transformer, wgs84 } from '@helk/core';
import { clientKind } from '../kinds';
import type { Place } from '../kinds/kind';
import { KindTools } from '../kinds/tools';
import { ICONS } from '../parts/icons';
import { BenchStore } from '../state/bench.store';
import { Looks } from '../state/looks';
import type { Pane } from '../state/panes';
import { ProjectStore } from '../state/project.store';
import { copyTable } from '../parts/save';
import { tabbed, tableHtml } from '../parts/table-text';

interface Row {
  pane: number;
  name: string;
  /** The same in two parts, of which the dataset's is cut where there is no room. */
  whose: string;
  of: string;
  value: string;
  unit: string;
  run: string;
}

/** The values of every dataset in every pane at the place that was clicked, exact, with unit and origin. */
@Component({
  selector: 'helk-readout',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgIcon],
  viewProviders: [provideIcons(ICONS)],
  host: { class: 'flex flex-col min-h-0', 'data-testid': 'readout' },
  template: `
    <header class="flex items-center h-[34px] px-3 flex-none border-b border-line-soft text-[13px]">
      <span class="font-[600]">Readout</span>
      <span class="flex-1"></span>
      @if (bench.readout()) {
        <button class="icon-btn !w-7" (click)="pin()" aria-label="Pin this place" title="Pin this place">
          <ng-icon name="lucidePin" size="14" />
        </button>
        <button class="icon-btn !w-7" (click)="copy()" aria-label="Copy as a table" title="Copy as a table">
          <ng-icon name="lucideCopy" size="14" />
        </button>
        <button
          class="icon-btn !w-7"
          (click)="bench.set({ readout: null })"
          aria-label="Close readout"
          title="Close readout"
        >
          <ng-icon name="lucideX" size="14" />
        </button>
      }
    </header>
    <div class="flex-1 min-h-0 overflow-auto px-3 py-1.5">
      @if (bench.readout(); as p) {
        <p class="num text-ink-2 text-[11px] leading-[1.5]">{{ where(p) }}</p>
        <table class="w-full text-[12.5px]">
          @for (r of rows(); track $index) {
            <tr class="border-t border-line-soft h-[27px]">
              <td class="num text-act w-5">{{ r.pane }}</td>
              <td class="max-w-[120px]" [title]="r.name + (r.run ? ', made by ' + r.run : '')">
                <span class="flex"
                  ><span class="truncate">{{ r.whose }}</span>
                  @if (r.of) {
                    <span class="truncate flex-none max-w-[92px]">, {{ r.of }}</span>
                  }
                </span>
              </td>
              <td class="num text-right pl-3" data-testid="readout-value">{{ r.value }} {{ r.unit }}</td>
            </tr>
          }
        </table>
      } @else {
        <p class="text-ink-2 text-[13px] py-1">Click in a pane to read every dataset at that place.</p>
      }
      @for (p of pinned(); track $index) {
        <div class="border-t border-line mt-1.5 pt-1 flex items-start gap-1">
          <button class="num text-left flex-1 text-[11px] leading-[1.5]" (click)="bench.set({ readout: p.place })">
            <span class="text-pick">no. {{ $index + 1 }}</span> {{ where(p.place) }}<br />{{ p.text }}
          </button>
          <button class="icon-btn !w-[24px] !h-[24px]" (click)="unpin($index)" aria-label="Remove this pin">
            <ng-icon name="lucideX" size="12" />
          </button>
        </div>
      }
    </div>
  `,
})
export class Readout {
  protected readonly bench = inject(BenchStore);
  private readonly store = inject(ProjectStore);
  private readonly looks = inject(Looks);
  private readonly tools = inject(KindTools);
  protected readonly rows = signal<Row[]>([]);
  private readonly texts = signal<string[]>([]);
  protected readonly pinned = computed(() =>
    this.bench.pins().map((place, i) => ({ place, text: this.texts()[i] ?? '' })),
  );

  constructor() {
    let turn = 0;
    effect(() => {
      const place = this.bench.readout();
      this.store.datasetEntityMap();
      const panes = this.bench.panes();
      const project = this.store.project();
      const mine = ++turn;
      if (!place || !project) {
        this.rows.set([]);
        return;
      }
      void this.read(place, panes).then(
        (rows) => mine === turn && this.rows.set(rows),
        () => undefined,
      );
    });
  }

  private async read(place: Place, panes: readonly Pane[]): Promise<Row[]> {
    const crs = this.store.crs();
    const jobs = panes.flatMap((p) =>
      [...p.layers].reverse().map(async (l): Promise<Row[]> => {
        const d = this.store.datasetEntityMap()[l.dataset];
        const all =
          d && (await clientKind(d.info).readout?.(d, this.looks.of(d, l), place, crs, this.tools, p.time ?? null));
        const run = this.store.madeBy(d);
        return (all ?? []).map((r) => ({
          pane: p.id,
          name: r.of ? `${d!.name}, ${r.of}` : d!.name,
          whose: d!.name,
          of: r.of,
          value: r.value,
          unit: r.unit,
          run: run && run.method !== 'import' ? run.title : '',
        }));
      }),
    );
    return (await Promise.all(jobs)).flat();
  }

  protected where(p: Place): string {
    const crs = this.store.crs();
    const out = [0, 0];
    transformer(crs, wgs84())(p.x, p.y, out);
    const degrees = `${out[1]!.toFixed(5)}, ${out[0]!.toFixed(5)}`;
    return crs.geographic ? degrees : `${p.x.toFixed(1)} E ${p.y.toFixed(1)} N (${crs.code ?? crs.name}) · ${degrees}`;
  }

  protected pin(): void {
    const p = this.bench.readout();
    if (!p) return;
    this.texts.update((t) => [
      ...t,
      this.rows()
        .map((r) => `${r.name} ${r.value} ${r.unit}`.trim())
        .join(' · '),
    ]);
    this.bench.set({ pins: [...this.bench.pins(), p] });
  }

  protected unpin(i: number): void {
    this.texts.update((t) => t.filter((_, k) => k !== i));
    this.bench.set({ pins: this.bench.pins().filter((_, k) => k !== i) });
  }

  protected copy(): void {
    const p = this.bench.readout();
    if (!p) return;
    const lines = [
      ['pane', 'dataset', 'value', 'unit', 'made by', 'x', 'y'],
      ...this.rows().map((r) => [
        r.pane,
        r.name,
        r.value.replace(/\u202f/g, '').replace('−', '-'),
        r.unit,
        r.run,
        p.x,
        p.y,
      ]),
    ];
    void this.store.guarded(async () => {
      await copyTable({ 'text/plain': tabbed(lines), 'text/html': tableHtml(lines, '') });
      this.store.notify('Copied.');
    });
  }
}
