import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  input,
  viewChild,
} from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { PanelHost } from '../evidence/panel-host';
import { PANELS } from '../evidence/panels';
import { PictureMenu } from '../evidence/picture-menu';
import { ICONS } from '../parts/icons';
import { BenchStore } from '../state/bench.store';
import { Looks } from '../state/looks';
import type { Pane } from '../state/panes';
import { ProjectStore } from '../state/project.store';
import { Seeing } from '../state/seeing';

/** A panel of evidence in a pane: a chart or a table beside a map, with the room of one. */
@Component({
  selector: 'helk-panel-pane',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgIcon, PanelHost, PictureMenu],
  viewProviders: [provideIcons(ICONS)],
  host: { class: 'relative flex flex-col h-full min-h-0 bg-leaf', '(pointerdown)': 'focus()' },
  template: `
    <header class="flex items-center gap-2 px-3 h-[38px] flex-none border-b border-line-soft text-[13px]">
      <span class="num">{{ pane().id }}</span>
      <span class="font-[600]">{{ title() }}</span>
      <span class="text-ink-2 truncate flex-1">{{ name() }}</span>
      @if (panel()?.draws) {
        <helk-picture-menu [host]="drawn()" [title]="title() + ', ' + name()" />
      }
      <button
        class="icon-btn"
        (click)="bench.closePane(pane().id)"
        [attr.aria-label]="bench.panes().length > 1 ? 'Close pane' : 'Empty pane'"
        [title]="bench.panes().length > 1 ? 'Close pane' : 'Empty pane'"
      >
        <ng-icon name="lucideX" size="15" />
      </button>
    </header>
    @if (item(); as d) {
      <helk-panel-host #panelHost class="flex-1 min-h-0 flex" [panel]="panel()" [item]="d" />
    }
  `,
})
export class PanelPane {
  readonly pane = input.required<Pane>();
  protected readonly bench = inject(BenchStore);
  private readonly own = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly panelHost = viewChild('panelHost', { read: ElementRef<HTMLElement> });
  protected readonly drawn = computed((): HTMLElement => (this.panelHost() ?? this.own).nativeElement);
  private readonly project = inject(ProjectStore);
  private readonly looks = inject(Looks);
  protected readonly panel = computed(() => PANELS.find((p) => p.id === this.pane().panel?.id) ?? null);
  protected readonly item = computed(() => this.project.datasetEntityMap()[this.pane().panel?.dataset ?? '']);
  protected readonly name = computed(() => this.item()?.name ?? '');
  protected readonly title = computed(() => {
    const d = this.item();
    return d ? (this.panel()?.title(d, this.looks.shows(d)) ?? '') : '';
  });

  constructor() {
    const seeing = inject(Seeing);
    effect((done) =>
      done(
        seeing.pane(this.pane().id, async () => {
          const { panelList } = await import('../evidence/panel-list');
          const title = `${this.title()}, ${this.name()}`;
          return { list: panelList(this.drawn(), title), title };
        }),
      ),
    );
  }

  /** What it is about becomes what is looked at; datasets go on being shown in the map that was active. */
  protected focus(): void {
    this.bench.select(this.pane().panel?.dataset ?? null);
  }
}
