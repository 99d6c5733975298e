import { CdkMenu, CdkMenuItem, CdkMenuTrigger } from '@angular/cdk/menu';
import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { FeaturesBuilder, columnsOf, dataOf, featuresIn, featuresOf, kindOf, ofKind, type Features } from '@helk/core';
import { clientKind } from '../kinds';
import { KindTools } from '../kinds/tools';
import { rowsWhere } from '@helk/core/formula/over-features';
import { writeRows } from '@helk/core/methods/features/subset';
import { touching } from '@helk/core/numeric/touching';
import { Sketch } from '../draw/sketch';
import { FormulaField } from '../parts/formula-field';
import { ICONS } from '../parts/icons';
import { BenchStore } from '../state/bench.store';
import { FeatureData } from '../state/feature-data';
import { Neighbourhood } from '../state/neighbourhood';
import { Picks, type Gather } from '../state/picks';
import { Edits, plainReason } from '../state/edits';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { knownValues } from './column-statistics';
import { measureFor, type Measure } from './measure';
import { TableCopy } from '../parts/table-copy';
import type { CopiedTable } from '../parts/table-text';

const MODES: { id: Gather; label: string }[] = [
  { id: 'replace', label: 'pick anew' },
  { id: 'add', label: 'add to it' },
  { id: 'remove', label: 'take from it' },
  { id: 'intersect', label: 'keep of it' },
];

let made = 0;

/** Picks rows of one dataset by a box, an area, a condition or another set; inverts, keeps as a subset. */
@Component({
  selector: 'helk-pick-bar',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgIcon, FormulaField, CdkMenu, CdkMenuItem, CdkMenuTrigger, TableCopy],
  viewProviders: [provideIcons(ICONS)],
  host: { class: 'block border-b border-line-soft', 'data-testid': 'pick-bar' },
  template: `
    <div class="flex flex-wrap items-center gap-x-0.5 px-2 min-h-[32px] text-[12.5px] whitespace-nowrap">
      <span
        class="min-w-[96px] pr-2 flex-none"
        [class.text-pick]="words()"
        [class.text-ink-2]="!words()"
        data-testid="picked"
        >{{ words() || 'nothing picked' }}</span
      >
      <select
        class="!min-h-[24px] !py-0 text-[12px] w-[96px]"
        (change)="picks.mode.set($any($event.target).value)"
        aria-label="How a choice is brought together with what is picked"
      >
        @for (m of modes; track m.id) {
          <option [value]="m.id" [selected]="m.id === picks.mode()">{{ m.label }}</option>
        }
      </select>
      @if (isMap()) {
        <button
          class="icon-btn"
          (click)="draw('box')"
          title="Pick by a box drawn on the map"
          aria-label="Pick by a box"
        >
          <ng-icon name="lucideSquareDashed" size="15" />
        </button>
        <button
          class="icon-btn"
          (click)="draw('polygon')"
          title="Pick by an area drawn on the map"
          aria-label="Pick by an area"
        >
          <ng-icon name="lucideLasso" size="15" />
        </button>
        <button
          class="bar"
          [cdkMenuTriggerFor]="others"
          [disabled]="!sets().length"
          title="Pick what touches another set"
        >
          by set
        </button>
      }
      <button class="bar" [class.on]="asking()" (click)="asking.set(!asking())" title="Pick by a condition">
        by formula
      </button>
      <button class="bar" (click)="picks.invert(item().id, total())">invert</button>
      @if (words() && near(); as w) {
        <button
          class="bar"
          (click)="withNeighbours(w)"
          [title]="'Add whoever is near them by ' + w.name"
          data-testid="with-neighbours"
        >
          with neighbours
        </button>
      }
      @if (words()) {
        <button class="bar" (click)="picks.clear(item().id)">clear</button>
        @if (isMap()) {
          <button class="bar" (click)="keep()" data-testid="keep-subset">keep as subset</button>
          <button
            class="bar"
            [class.on]="setting()"
            (click)="startSetting()"
            title="Put one value into a column of all that is picked"
          >
            set a value
          </button>
        }
      }
      <span class="flex-1"></span>
      @if (measure(); as m) {
        <button
          class="bar"
          [disabled]="measuring()"
          (click)="addMeasure(m)"
          [title]="'A new set with a column of ' + m.noun + ', in ' + m.unit"
          data-testid="add-measure"
        >
          {{ measuring() ? 'measuring…' : 'add ' + m.noun }}
        </button>
      }
      <helk-table-copy
        look="bar"
        label="copy"
        [table]="copied()"
        [title]="item().name"
        title="Copy what is picked, or all, with the columns' heads"
      />
    </div>
    @if (asking()) {
      <div class="flex items-start gap-2 px-2 pb-1.5">
        <helk-formula-field
          class="flex-1 min-w-0"
          [value]="formula()"
          [names]="names()"
          [geometry]="isMap()"
          [wrong]="!!wrong()"
          label="Condition"
          hint='like area(ha) > 20 && class == "moor"'
          (changed)="formula.set($event); wrong.set(null)"
        />
        <button class="btn !min-h-[30px]" (click)="byFormula()">Pick</button>
      </div>
      @if (wrong()) {
        <p class="px-2 pb-1 text-[12px] text-no">{{ wrong() }}</p>
      }
    }
    @if (setting() && words()) {
      <form class="flex items-center gap-2 px-2 pb-1.5 text-[12.5px]" (submit)="$event.preventDefault(); setValue()">
        <select [value]="column()" (change)="column.set($any($event.target).value)" aria-label="Column to set">
          @for (n of names(); track n.name) {
            <option [value]="n.name" [selected]="n.name === column()">{{ n.name }}</option>
          }
        </select>
        <input
          class="flex-1 min-w-0"
          [value]="value()"
          (input)="value.set($any($event.target).value); wrong.set(null)"
          [attr.list]="listId"
          placeholder="empty makes it missing"
          aria-label="Value to set"
        />
        <datalist [id]="listId">
          @for (v of known(); track v) {
            <option [value]="v"></option>
          }
        </datalist>
        <button class="btn !min-h-[30px]" type="submit">Set in {{ picks.count(item().id) }}</button>
        <button class="btn !min-h-[30px]" type="button" (click)="setting.set(false)">Leave it</button>
      </form>
      @if (wrong() && !asking()) {
        <p class="px-2 pb-1 text-[12px] text-no">{{ wrong() }}</p>
      }
    }
    @if (edits.count(item().id); as n) {
      <div class="flex items-center gap-2 px-2 pb-1.5 text-[12.5px]" data-testid="edits">
        <span class="tag-look !text-[12px]">{{ n }} {{ n === 1 ? 'value' : 'values' }} typed, not kept yet</span>
        <button class="btn btn-act !min-h-[28px]" (click)="edits.keep(item().id)">Keep as a new set</button>
        <button class="btn !min-h-[28px]" (click)="edits.drop(item().id)">Drop them</button>
      </div>
    }
    @if (naming()) {
      <form class="flex items-center gap-2 px-2 pb-1.5" (submit)="$event.preventDefault(); save()">
        <label class="text-[12.5px] flex items-center gap-2 flex-1"
          >Name
          <input
            class="flex-1"
            [value]="title()"
            (input)="title.set($any($event.target).value)"
            data-testid="subset-name"
        /></label>
        <button class="btn btn-act !min-h-[30px]" type="submit">Keep</button>
        <button class="btn !min-h-[30px]" type="button" (click)="naming.set(false)">Leave it</button>
      </form>
    }
    <ng-template #others>
      <div cdkMenu class="popover py-1 w-[240px] text-[13px] max-h-[260px] overflow-auto">
        <div class="px-3 py-1 text-[12px] text-ink-2">What touches …</div>
        @for (s of sets(); track s.id) {
          <button
            cdkMenuItem
            class="block w-full text-left px-3 h-[28px] truncate hover:bg-act-soft focus:bg-act-soft outline-none"
            (cdkMenuItemTriggered)="bySet(s)"
          >
            {{ s.name }}{{ picks.count(s.id) ? ' (picked ones)' : '' }}
          </button>
        }
      </div>
    </ng-template>
  `,
})
export class PickBar {
  readonly item = input.required<DatasetItem>();
  /** What is picked, or everything. */
  readonly copied = input.required<() => CopiedTable>();
  protected readonly picks = inject(Picks);
  private readonly store = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  private readonly tools = inject(KindTools);
  private readonly data = inject(FeatureData);
  private readonly sketch = inject(Sketch);
  protected readonly modes = MODES;
  protected readonly asking = signal(false);
  protected readonly formula = signal('');
  protected readonly wrong = signal<string | null>(null);
  protected readonly naming = signal(false);
  protected readonly title = signal('');
  protected readonly edits = inject(Edits);
  protected readonly setting = signal(false);
  protected readonly column = signal('');
  protected readonly value = signal('');
  protected readonly listId = `known-${++made}`;
  /** Values that stand in the column already. */
  protected readonly known = computed(() => {
    const c = this.data.now(this.item().id)?.columns.find((x) => x.name === this.column());
    return c?.type === 'text' ? knownValues(c) : [];
  });
  protected readonly isMap = computed(() => featuresOf(this.item().info) !== null);
  protected readonly total = computed(() => kindOf(this.item().info).rows?.(this.item().info).count ?? 0);
  protected readonly words = computed(() => clientKind(this.item().info).told(this.item(), this.tools));
  protected readonly names = computed(() =>
    columnsOf(this.item().info).map((c) => ({ name: c.name, detail: c.unit ?? c.type })),
  );
  protected readonly sets = computed(() =>
    this.store.datasetEntities().filter((d) => ofKind('features', d.info) && d.id !== this.item().id),
  );

  /** The size of shapes as a column: areas, or lengths, where they have one. */
  protected readonly measure = computed(() => measureFor(this.item()));
  protected readonly measuring = signal(false);

  protected async addMeasure(m: Measure): Promise<void> {
    const method = this.store.serving().get('add a column');
    if (!method) return;
    this.measuring.set(true);
    const made = await this.store.guarded(() =>
      this.store.runToEnd(
        method.id,
        { [Object.keys(method.inputs)[0]!]: [this.item().id] },
        { column: m.column, formula: m.formula, unit: m.unit },
      ),
    );
    this.measuring.set(false);
    if (!made?.[0]) return;
    this.bench.show(made[0], this.bench.activePane(), true);
    this.store.notify(`Made a new set with “${m.column}” in ${m.unit}.`);
  }

  private async features(): Promise<Features | null> {
    const d = await this.store.guarded(() => this.data.get(this.item().id));
    return dataOf('features', d);
  }

  private readonly neighbourhood = inject(Neighbourhood);
  /** Weights by which neighbours of what is picked can be told: the last that were made. */
  protected readonly near = computed(() => this.neighbourhood.weightsOf(this.item())[0]);

  protected withNeighbours(w: DatasetItem): void {
    void this.store.guarded(() => this.neighbourhood.spread(this.item(), w));
  }

  protected draw(geometry: 'box' | 'polygon'): void {
    if (!this.bench.pane().layers.some((l) => l.dataset === this.item().id))
      this.bench.show(this.item().id, this.bench.activePane(), true);
    this.sketch.pick(geometry, (ring) => {
      void this.features().then((f) => {
        if (!f) return;
        const b = new FeaturesBuilder();
        for (const [x, y] of [...ring, ring[0]!]) b.coordinate(x!, y!);
        b.endRing();
        b.endPart();
        b.endFeature();
        const drawn = b.build('polygon', this.store.crs(), []);
        this.picks.pick(this.item().id, touching(featuresIn(f, this.store.crs()), drawn));
      });
    });
  }

  protected async bySet(s: DatasetItem): Promise<void> {
    const f = await this.features();
    const other = dataOf('features', await this.store.guarded(() => this.data.get(s.id)));
    if (!f || !other) return;
    this.picks.pick(this.item().id, touching(f, featuresIn(other, f.crs), this.picks.of(s.id)));
  }

  protected async byFormula(): Promise<void> {
    const d = await this.store.guarded(() => this.data.get(this.item().id));
    if (!d) return;
    try {
      const rows = rowsWhere(d, this.formula());
      this.picks.pick(this.item().id, rows);
      if (!rows.includes(1)) this.wrong.set('This holds for none.');
    } catch (e) {
      this.wrong.set(e instanceof Error ? e.message : String(e));
    }
  }

  protected startSetting(): void {
    // The class is what is mostly set; else the last column.
    const names = this.names().map((n) => n.name);
    if (!names.includes(this.column()))
      this.column.set(names.find((n) => /class|cover|kind|type|label/i.test(n)) ?? names.at(-1) ?? '');
    this.wrong.set(null);
    this.setting.set(!this.setting());
  }

  protected setValue(): void {
    const id = this.item().id;
    const c = this.data.now(id)?.columns.find((x) => x.name === this.column());
    const picked = this.picks.of(id);
    if (!c || !picked) return;
    try {
      this.edits.set(
        id,
        c,
        Array.from(picked.keys()).filter((i) => picked[i]),
        this.value(),
      );
      this.setting.set(false);
    } catch (e) {
      this.wrong.set(plainReason(e));
    }
  }

  protected keep(): void {
    this.title.set(`${this.item().name} subset`);
    this.naming.set(true);
  }

  /** A run of the subset method, so that it is remembered how it was made. */
  protected async save(): Promise<void> {
    const rows = this.picks.of(this.item().id);
    const method = this.store.serving().get('keep picked');
    if (!rows || !method) return;
    this.naming.set(false);
    const inputs = { [Object.keys(method.inputs)[0]!]: [this.item().id] };
    const outputs = await this.store.guarded(() => this.store.runToEnd(method.id, inputs, { rows: writeRows(rows) }));
    const made = outputs?.[0];
    if (!made) return;
    const name = this.title().trim();
    if (name) await this.store.patchDataset(made, { name });
    this.bench.show(made, this.bench.activePane(), true);
    this.store.notify(`Kept as “${name || 'Subset'}”.`);
  }
}
