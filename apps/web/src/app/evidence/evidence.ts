import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  untracked,
  viewChild,
} from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { clientKind } from '../kinds';
import { KindTools } from '../kinds/tools';
import { ICONS } from '../parts/icons';
import { BenchStore } from '../state/bench.store';
import { ProjectStore } from '../state/project.store';
import { Looks } from '../state/looks';
import { Picks } from '../state/picks';
import { Seeing } from '../state/seeing';
import { PanelHost } from './panel-host';
import { panelsOf, type EvidencePanel } from './panels';
import { PictureMenu } from './picture-menu';
import { Readout } from './readout';

interface Offered {
  id: string;
  title: string;
  record: EvidencePanel;
}

/** What the active dataset says, panel by panel; and the readout of a place. */
@Component({
  selector: 'helk-evidence',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgIcon, PanelHost, PictureMenu, Readout],
  viewProviders: [provideIcons(ICONS)],
  host: { class: 'flex h-full min-h-0 bg-leaf', 'data-testid': 'evidence' },
  template: `
    <section class="flex-1 min-w-0 flex flex-col">
      <header
        class="flex items-center gap-4 px-3 h-[34px] flex-none border-b border-line-soft text-[13px] min-w-0 overflow-hidden"
      >
        <div
          class="flex items-center gap-4 h-full flex-1 min-w-[66%] overflow-x-auto overflow-y-hidden"
          style="scrollbar-width: none"
          role="tablist"
          aria-label="Evidence"
        >
          @for (p of panels(); track p.id) {
            <button
              role="tab"
              class="h-full border-b-2 flex-none"
              [class]="panel()?.id === p.id ? 'border-act font-[600]' : 'border-transparent text-ink-2'"
              [attr.aria-selected]="panel()?.id === p.id"
              (click)="choose(p.id)"
            >
              {{ p.title }}
            </button>
          }
        </div>
        @if (told(); as t) {
          <span class="text-[12px] text-pick truncate" data-testid="told" [title]="t">{{ t }}</span>
          <button class="link text-[12px] flex-none" (click)="clear()">clear</button>
        }
        <span class="text-[12px] text-ink-2 truncate">{{ bench.selectedItem()?.name }}</span>
        @if (bench.selectedItem(); as d) {
          @if (panel(); as p) {
            @if (p.record.draws) {
              <helk-picture-menu class="flex-none" [pins]="true" [host]="drawn()" [title]="p.title + ', ' + d.name" />
            }
            <button
              class="icon-btn !w-7 flex-none"
              (click)="bench.showPanel(d.id, p.id)"
              aria-label="Into a pane of its own"
              title="Into a pane of its own"
            >
              <ng-icon name="lucideMaximize" size="14" />
            </button>
          }
        }
      </header>
      @if (bench.selectedItem(); as d) {
        <helk-panel-host #panelHost class="flex-1 min-h-0 flex" [panel]="panel()?.record ?? null" [item]="d" />
      } @else {
        <p class="p-4 text-ink-2">Choose a dataset in the ledger to see what is in it.</p>
      }
    </section>
    @if (reads()) {
      <helk-readout class="flex-none border-l border-line" [class]="bench.sheet() ? 'w-[224px]' : 'w-[290px]'" />
    }
  `,
})
export class Evidence {
  protected readonly bench = inject(BenchStore);
  private readonly own = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly panelHost = viewChild('panelHost', { read: ElementRef<HTMLElement> });
  protected readonly drawn = computed((): HTMLElement => (this.panelHost() ?? this.own).nativeElement);
  private readonly project = inject(ProjectStore);
  private readonly looks = inject(Looks);
  private readonly picks = inject(Picks);
  private readonly tools = inject(KindTools);

  /** A work tells by itself what a click is for. */
  protected readonly reads = computed(() =>
    this.bench.sheet() ? !!this.bench.readout() || this.bench.pins().length > 0 : !this.bench.work(),
  );

  protected readonly panels = computed((): Offered[] => {
    const d = this.bench.selectedItem();
    if (!d) return [];
    const shows = this.looks.shows(d);
    return panelsOf(d, shows).map((record) => ({ id: record.id, title: record.title(d, shows), record }));
  });
  protected readonly panel = computed((): Offered | undefined => {
    const all = this.panels();
    const w = this.bench.panel();
    return (w?.dataset === this.bench.selected() && all.find((p) => p.id === w?.panel)) || all[0];
  });
  /** What is picked of the active dataset, always in sight. */
  protected readonly told = computed(() => {
    const d = this.bench.selectedItem();
    if (!d || this.panel()?.id === 'table') return '';
    // What stands out may be of what was made beside it: where filling changed the grid that was filled.
    const r = this.picks.range();
    const other = r && r.dataset !== d.id ? this.project.datasetEntityMap()[r.dataset] : undefined;
    const of = other && other.runId !== null && other.runId === d.runId ? other : d;
    return clientKind(of.info).told(of, this.tools);
  });

  constructor() {
    const seeing = inject(Seeing);
    effect((done) => {
      const [d, p, host] = [this.bench.selectedItem(), this.panel(), this.drawn()];
      if (!d || !p) return;
      const make = async () => {
        const { panelList } = await import('./panel-list');
        const title = `${p.title}, ${d.name}`;
        return { list: panelList(host, title), title };
      };
      done(seeing.panel(host, make));
    });
    // Given the room it needs when it comes; whoever makes it smaller then is not contradicted.
    let shown = '';
    effect(() => {
      const now = `${this.bench.selected()} ${this.panel()?.id}`;
      const room = this.panel()?.record.room ?? 0;
      if (now === shown) return;
      shown = now;
      untracked(() => {
        if (this.bench.evidenceHeight() < room) this.bench.set({ evidenceHeight: room });
      });
    });
  }

  protected choose(panel: string): void {
    const dataset = this.bench.selected();
    if (dataset) this.bench.set({ panel: { dataset, panel } });
  }

  protected clear(): void {
    this.picks.range.set(null);
    if (this.bench.selected()) this.picks.clear(this.bench.selected()!);
  }
}
