import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { kindOf, placeOfExtent, systemOf } from '@helk/core';
import { Api } from '../api/api';
import { CrsField } from '../parts/crs-field';
import { ICONS } from '../parts/icons';
import { BenchStore } from '../state/bench.store';
import { Chosen } from '../state/chosen';
import { Listing } from '../state/listing';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { Tables } from '../state/tables';
import { givenUnit, Telling } from '../state/telling';
import { sharedMends, unitOfNames, type SharedMend } from './shared';

/** What can be done with several datasets at once. */
@Component({
  selector: 'helk-chosen-bar',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgIcon, CrsField],
  viewProviders: [provideIcons(ICONS)],
  host: {
    class: 'block sticky bottom-0 z-10 bg-leaf border-t border-line px-3 py-2 text-[13px]',
    'data-testid': 'chosen',
  },
  template: `
    <div class="flex items-center gap-1">
      <span class="font-[600]"
        ><span class="num">{{ chosen.ids().length }}</span> chosen</span
      >
      <span class="flex-1"></span>
      <button class="icon-btn !w-7" (click)="chosen.none()" aria-label="Choose none" title="Choose none (Escape)">
        <ng-icon name="lucideX" size="14" />
      </button>
    </div>
    @if (telling() === 'unit') {
      <form class="flex items-center gap-1.5 pt-1" (submit)="$event.preventDefault(); giveUnit(unit.value)">
        <input
          #unit
          class="num flex-1 min-w-0"
          placeholder="unit of their values, like m"
          aria-label="Unit of their values"
          maxlength="20"
          [value]="namedUnit() ?? ''"
          (keydown.escape)="telling.set(null)"
        />
        <button class="btn btn-act" type="submit">Give it</button>
      </form>
    } @else if (telling() === 'system') {
      <helk-crs-field class="block pt-1" value="" [place]="place()" (picked)="giveSystem($event)" />
    } @else if (telling() === 'thread') {
      <form class="flex items-center gap-1.5 pt-1" (submit)="$event.preventDefault(); move(name.value)">
        <input
          #name
          class="voice !text-[15px] flex-1 min-w-0"
          placeholder="name of the thread"
          aria-label="Name of the thread"
          list="threads-there"
          maxlength="120"
          (keydown.escape)="telling.set(null)"
        />
        <datalist id="threads-there">
          @for (t of names(); track t) {
            <option [value]="t"></option>
          }
        </datalist>
        <button class="btn btn-act" type="submit">Move</button>
      </form>
      <p class="text-[12px] text-ink-2 pt-1">What was made from them goes along; without a name they leave theirs.</p>
    } @else {
      <div class="flex flex-wrap items-center gap-x-3 gap-y-1 pt-0.5">
        <button class="link" (click)="ask()" data-testid="run-on">Run on them</button>
        <button class="link" (click)="telling.set('thread')" data-testid="move-to">Move to a thread</button>
        @if (unitless().length) {
          <button class="link" (click)="telling.set('unit')" data-testid="unit-of">Say their unit</button>
        }
        @if (nowhere().length) {
          <button class="link" (click)="telling.set('system')">Say their system</button>
        }
        <a class="link" [href]="url()" download data-testid="save-chosen">Save as files</a>
        <button class="link !text-no" (click)="remove()" data-testid="remove-chosen">Remove</button>
      </div>
      @for (m of mends(); track m.label) {
        <button class="link block text-look" (click)="mend(m)">
          {{ m.label }} <span class="num">({{ m.of.length }})</span>
        </button>
      }
    }
  `,
})
export class ChosenBar {
  protected readonly chosen = inject(Chosen);
  private readonly api = inject(Api);
  private readonly bench = inject(BenchStore);
  private readonly listing = inject(Listing);
  private readonly project = inject(ProjectStore);
  private readonly said = inject(Telling);
  private readonly tables = inject(Tables);
  /** What is being said of all of them. */
  protected readonly telling = signal<'thread' | 'unit' | 'system' | null>(null);
  protected readonly place = computed(() => placeOfExtent(this.project.crs(), this.project.extent()));
  protected readonly unitless = computed(() =>
    this.chosen.items().filter((d) => kindOf(d.info).lacksUnit(d.info) || givenUnit(d) !== null),
  );
  protected readonly nowhere = computed(() =>
    this.chosen.items().filter((d) => kindOf(d.info).placed && !systemOf(d.info)),
  );
  protected readonly namedUnit = computed(() => unitOfNames(this.unitless()));
  protected readonly mends = computed(() => sharedMends(this.chosen.items()));
  protected readonly names = computed(() =>
    this.listing
      .threads()
      .filter((t) => t.named)
      .map((t) => t.title),
  );
  protected readonly url = computed(() =>
    this.api.packageUrl(this.project.project()?.id ?? '', 'named', false, this.chosen.ids()),
  );

  /** The first of them says which methods fit; the run sheet takes them all, or offers a run for each. */
  protected ask(): void {
    const [first] = this.chosen.ids();
    this.bench.set({
      ...(first && !this.chosen.has(this.bench.selected() ?? '') ? { selected: first } : {}),
      askOpen: true,
    });
  }

  protected remove(): void {
    const ids = this.chosen.ids();
    this.chosen.none();
    void this.project.removeDatasets(ids);
  }

  /** A thread is a line of what was made from what, so those move that the chosen ones begin with. */
  protected move(thread: string): void {
    const beginnings = new Map<string, DatasetItem>();
    for (const t of this.listing.threads()) {
      let root: DatasetItem[] = [];
      for (const r of t.rows) {
        if (r.root) root = r.items;
        if (r.items.some((d) => this.chosen.has(d.id))) for (const d of root) beginnings.set(d.id, d);
      }
    }
    this.telling.set(null);
    void this.said.thread([...beginnings.values()], thread.trim());
  }

  protected giveUnit(unit: string): void {
    this.telling.set(null);
    if (unit.trim()) void this.said.unit(this.unitless(), unit.trim());
  }

  protected giveSystem(crs: string): void {
    this.telling.set(null);
    if (crs.trim()) void this.said.system(this.nowhere(), crs.trim());
  }

  /** One run for each, as a table that can be looked at before it is run. */
  protected mend(m: SharedMend): void {
    const refs = m.of.map((d) => d.id);
    const called = { title: m.label, names: `{${m.role}} mended` };
    this.chosen.none();
    void this.tables.begin(m.method, { [m.role]: [refs[0]!] }, m.params, { role: m.role, refs }, called);
  }
}
