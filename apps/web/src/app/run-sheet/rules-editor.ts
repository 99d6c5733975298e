import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  inject,
  input,
  output,
  signal,
  untracked,
} from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import {
  CATEGORY_COLOURS,
  categoryColours,
  colouredClasses,
  formatNumber,
  namedColour,
  MISSING_CLASS,
  type RasterInfo,
} from '@helk/core';
import { readClassTable, writeClassTable } from '@helk/core/formats/class-table';
import { clashes, parseRules, type Recode } from '@helk/core/methods/raster/recode';
import { ICONS } from '../parts/icons';
import { chosenFile, saveText } from '../parts/save';
import { ProjectStore } from '../state/project.store';

interface Row {
  from: string;
  to: string;
  value: string;
  label: string;
  colour: string;
}

const NUMBER = /^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?$/i;
const numberOf = (t: string): number =>
  NUMBER.test(t.trim().replace(',', '.')) ? Number(t.trim().replace(',', '.')) : NaN;

/** Recoding rules as a table: which values become which class, what no rule covers, which two rules claim, and how many cells that is. */
@Component({
  selector: 'helk-rules-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgIcon],
  viewProviders: [provideIcons(ICONS)],
  host: { class: 'block min-w-0', 'data-testid': 'rules-editor' },
  template: `
    <div class="flex items-baseline gap-2 mb-1">
      <span class="text-[13px] flex-1">Rules</span>
      <span class="num text-[11.5px] text-ink-2">values {{ range() }}</span>
    </div>
    <div class="h-[10px] flex rounded-[2px] overflow-hidden border border-line mb-2" aria-hidden="true">
      @for (s of strip(); track $index) {
        <span
          [style.width.%]="s.share * 100"
          [class]="s.state === 'none' ? 'hatch' : ''"
          [style.background]="s.state === 'one' ? s.colour : s.state === 'two' ? 'var(--look)' : null"
        ></span>
      }
    </div>
    <table class="w-full text-[12.5px] border-collapse">
      <thead class="text-left text-ink-2 text-[11.5px]">
        <tr>
          <th class="font-[450]">From</th>
          <th class="font-[450]">to</th>
          <th class="font-[450]">Class</th>
          <th class="font-[450]">Name</th>
          <th></th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        @for (r of rows(); track $index; let i = $index) {
          <tr [attr.data-testid]="'rule-' + i">
            <td class="pr-0.5">
              <input
                class="num w-[48px] !px-1"
                [class.!border-no]="bad(r.from)"
                [value]="r.from"
                (input)="put(i, { from: $any($event.target).value })"
                [attr.aria-label]="'From, rule ' + (i + 1)"
              />
            </td>
            <td class="pr-0.5">
              <input
                class="num w-[48px] !px-1"
                [class.!border-no]="bad(r.to)"
                [value]="r.to"
                (input)="put(i, { to: $any($event.target).value })"
                [attr.aria-label]="'To, rule ' + (i + 1)"
              />
            </td>
            <td class="pr-0.5">
              <input
                class="num w-[36px] !px-1"
                [class.!border-no]="bad(r.value)"
                [value]="r.value"
                (input)="put(i, { value: $any($event.target).value })"
                [attr.aria-label]="'Class, rule ' + (i + 1)"
              />
            </td>
            <td class="pr-0.5">
              <input
                class="w-full min-w-0 !px-1"
                [value]="r.label"
                (input)="put(i, { label: $any($event.target).value })"
                [attr.aria-label]="'Name, rule ' + (i + 1)"
              />
            </td>
            <td>
              <input
                type="color"
                class="w-[22px] !p-0"
                [value]="r.colour"
                (input)="put(i, { colour: $any($event.target).value })"
                [attr.aria-label]="'Colour, rule ' + (i + 1)"
              />
            </td>
            <td>
              <button class="icon-btn !w-5 !h-6" (click)="drop(i)" [attr.aria-label]="'Remove rule ' + (i + 1)">
                <ng-icon name="lucideX" size="12" />
              </button>
            </td>
          </tr>
          <tr>
            <td colspan="6" class="num text-[11px] pb-1" [class]="counts()[i]!.clash ? 'text-look' : 'text-ink-2'">
              {{ counts()[i]!.text }}
            </td>
          </tr>
        }
        <tr>
          <td colspan="2" class="text-ink-2">All others</td>
          <td colspan="4">
            <select class="w-full" (change)="rest.set($any($event.target).value); emit()" aria-label="All other values">
              <option value="" [selected]="rest() === ''">not said (become missing)</option>
              <option value="missing" [selected]="rest() === 'missing'">become missing</option>
              <option value="keep" [selected]="rest() === 'keep'">keep their value</option>
              @if (restClass()) {
                <option [value]="restClass()" selected>become {{ restClass() }}</option>
              }
            </select>
          </td>
        </tr>
      </tbody>
    </table>
    @if (uncovered(); as u) {
      <p class="text-[12px] mt-1.5" [class]="rest() === '' ? 'text-look' : 'text-ink-2'" data-testid="uncovered">
        {{ u }}
      </p>
    }
    <div class="flex flex-wrap gap-x-3 mt-1.5 text-[12.5px]">
      <button class="link" (click)="add()">Add a rule</button>
      @if (each()) {
        <button class="link" (click)="forEach()">One for each value</button>
      }
      <button class="link" (click)="save()" [disabled]="!rows().length">Save classes</button>
      <label class="link cursor-pointer"
        >Load classes<input
          type="file"
          class="sr-only"
          accept=".json"
          (change)="load($any($event.target))"
          data-testid="load-classes"
      /></label>
    </div>
  `,
})
export class RulesEditor {
  readonly value = input.required<string>();
  readonly info = input<RasterInfo | null>(null);
  readonly changed = output<string>();
  private readonly store = inject(ProjectStore);
  protected readonly rows = signal<Row[]>([]);
  protected readonly rest = signal('');
  protected readonly restClass = computed(() => (['', 'missing', 'keep'].includes(this.rest()) ? '' : this.rest()));
  private emitted: string | null = null;

  protected readonly facts = computed(() => this.info()?.bands[0]?.facts);
  protected readonly range = computed(() => {
    const s = this.facts()?.summary;
    return s && s.count
      ? `${formatNumber(s.min, s.max - s.min)} to ${formatNumber(s.max, s.max - s.min)}`
      : 'not known';
  });
  /** Values, or bins of the histogram, with their cells. */
  private readonly found = computed(() => {
    const f = this.facts();
    if (!f) return [];
    if (f.values) return f.values.map((v) => ({ low: v.value, high: v.value, cells: v.cells }));
    if (!f.histogram) return [];
    const { counts, min, max } = f.histogram;
    const step = (max - min) / counts.length;
    return counts.map((cells, i) => ({ low: min + i * step, high: min + (i + 1) * step, cells }));
  });
  protected readonly each = computed(() => (this.facts()?.values?.length ?? 99) <= 40);
  private readonly parsed = computed((): Recode | null => {
    try {
      return parseRules(this.text());
    } catch {
      return null;
    }
  });
  private readonly text = computed(() =>
    [
      ...this.rows().map(
        (r) =>
          `${r.to.trim() === '' || r.to.trim() === r.from.trim() ? r.from.trim() : `${r.from.trim()} to ${r.to.trim()}`} -> ${[r.value.trim(), r.label.replace(/[;\n]/g, ' ').trim(), r.value.trim() === 'missing' ? '' : r.colour].filter(Boolean).join(' ')}`,
      ),
      ...(this.rest() ? [`others -> ${this.rest()}`] : []),
    ].join('; '),
  );
  protected readonly counts = computed(() => {
    const two = clashes(this.parsed()?.rules ?? [], this.facts()?.values !== undefined).flat();
    return this.rows().map((r) => {
      const [a, b] = [numberOf(r.from), r.to.trim() === '' ? numberOf(r.from) : numberOf(r.to)];
      if (a !== a || b !== b) return { text: 'write a value, or from and to', clash: false };
      const cells = this.cellsIn(a, b);
      const clash = two.some((c) => c.from === a && c.to === b);
      return {
        text: `${this.facts()?.values ? '' : 'about '}${formatNumber(cells)} cells${clash ? ', partly claimed by another rule' : ''}`,
        clash,
      };
    });
  });
  protected readonly strip = computed(() => {
    const rules = this.parsed()?.rules ?? [];
    const all = this.found();
    const total = all.length || 1;
    return all.map((v) => {
      const hit = rules.filter((r) => v.high >= r.from && v.low <= r.to);
      const mid = rules.filter((r) => (v.low + v.high) / 2 >= r.from && (v.low + v.high) / 2 <= r.to);
      return {
        share: 1 / total,
        state: mid.length > 1 && new Set(mid.map((r) => r.value)).size > 1 ? 'two' : hit.length ? 'one' : 'none',
        colour: hit[0]?.colour ?? 'var(--act)',
      };
    });
  });
  protected readonly uncovered = computed(() => {
    const rules = this.parsed()?.rules;
    if (!rules) return null;
    const free = this.found().filter(
      (v) => v.cells > 0 && !rules.some((r) => (v.low + v.high) / 2 >= r.from && (v.low + v.high) / 2 <= r.to),
    );
    if (!free.length) return null;
    const cells = free.reduce((s, v) => s + v.cells, 0);
    const exact = this.facts()?.values;
    const what = exact
      ? `${free
          .slice(0, 10)
          .map((v) => v.low)
          .join(', ')}${free.length > 10 ? ' …' : ''}`
      : `values between ${formatNumber(free[0]!.low, 10)} and ${formatNumber(free[free.length - 1]!.high, 10)}`;
    return `No rule covers ${what}: ${exact ? '' : 'about '}${formatNumber(cells)} cells${this.rest() === '' ? ' become missing' : ''}.`;
  });

  constructor() {
    // A text from elsewhere (a variant, a mend) becomes rows; one's own is already there.
    effect(() => {
      const text = this.value();
      if (text === this.emitted) return;
      untracked(() => this.take(text));
    });
  }

  private take(text: string): void {
    this.emitted = text;
    if (text.trim() === '') {
      this.rows.set([]);
      this.rest.set('');
      if (this.facts()?.values && this.each()) this.forEach();
      return;
    }
    try {
      const { rules, rest } = parseRules(text);
      const colours = categoryColours(rules.map((r) => r.label || String(r.value)));
      this.rows.set(
        rules.map((r, i) => ({
          from: String(r.from),
          to: String(r.to),
          value: r.value === MISSING_CLASS ? 'missing' : String(r.value),
          label: r.label,
          colour: r.colour ?? colours[i]!,
        })),
      );
      this.rest.set(
        rest === null
          ? ''
          : typeof rest === 'string'
            ? rest
            : [rest.value, rest.label].filter((x) => x !== '').join(' '),
      );
    } catch {
      // Unreadable text stays what it is; the refusal below says why.
    }
  }

  private cellsIn(a: number, b: number): number {
    return this.found().reduce((s, v) => ((v.low + v.high) / 2 >= a && (v.low + v.high) / 2 <= b ? s + v.cells : s), 0);
  }

  protected bad(text: string): boolean {
    return text.trim() !== 'missing' && numberOf(text) !== numberOf(text);
  }

  protected put(i: number, patch: Partial<Row>): void {
    const rows = this.rows();
    const row = rows[i]!;
    // Rules with one class share name and colour: naming two alike is the merge.
    const like =
      patch.value !== undefined ? rows.find((r, k) => k !== i && r.value.trim() === patch.value!.trim()) : undefined;
    // A land cover that is named gets its usual colour, unless somebody chose one.
    const usual = patch.label !== undefined && CATEGORY_COLOURS.includes(row.colour) ? namedColour(patch.label) : null;
    const next = {
      ...row,
      ...(usual ? { colour: usual } : {}),
      ...patch,
      ...(like && like.value.trim() ? { label: like.label, colour: like.colour } : {}),
    };
    this.rows.set(
      rows.map((r, k) =>
        k === i
          ? next
          : (patch.label !== undefined || patch.colour !== undefined) && r.value.trim() === row.value.trim()
            ? { ...r, label: next.label, colour: next.colour }
            : r,
      ),
    );
    this.emit();
  }

  protected add(): void {
    const s = this.facts()?.summary;
    const last = this.rows().at(-1);
    const from = last ? last.to || last.from : s ? String(Math.floor(s.min)) : '0';
    const used = this.rows()
      .map((r) => numberOf(r.value))
      .filter((v) => v === v);
    const value = String(used.length ? Math.max(...used) + 1 : 1);
    const taken = this.rows().map((r) => r.colour);
    const colour = CATEGORY_COLOURS.find((c) => !taken.includes(c)) ?? CATEGORY_COLOURS[0]!;
    this.rows.update((r) => [...r, { from, to: s ? String(Math.ceil(s.max)) : from, value, label: '', colour }]);
    this.emit();
  }

  protected drop(i: number): void {
    this.rows.update((r) => r.filter((_, k) => k !== i));
    this.emit();
  }

  protected forEach(): void {
    const b = this.info()?.bands[0];
    const values = b?.facts?.values ?? [];
    const classes = colouredClasses(
      b?.classes,
      values.map((v) => v.value),
    );
    this.rows.set(
      values.map(({ value }) => {
        const c = classes.find((x) => x.value === value)!;
        return {
          from: String(value),
          to: String(value),
          value: String(value),
          label: c.label === String(value) ? '' : c.label,
          colour: c.colour,
        };
      }),
    );
    this.emit();
  }

  protected emit(): void {
    this.emitted = this.text();
    this.changed.emit(this.emitted);
  }

  protected save(): void {
    const classes = new Map<number, { value: number; label: string; colour: string }>();
    for (const r of this.rows()) {
      const value = numberOf(r.value);
      if (Number.isInteger(value) && !classes.has(value))
        classes.set(value, { value, label: r.label || r.value, colour: r.colour });
    }
    saveText(writeClassTable([...classes.values()]), 'classes.json', 'application/json');
  }

  protected async load(field: HTMLInputElement): Promise<void> {
    const file = chosenFile(field);
    if (!file) return;
    await this.store.guarded(async () => {
      const all = readClassTable(await file.text());
      this.rows.update((rows) =>
        rows.map((r) => {
          const c = all.find((x) => x.value === numberOf(r.value));
          return c ? { ...r, label: c.label, colour: c.colour ?? r.colour } : r;
        }),
      );
      this.emit();
      this.store.notify(`${all.length} classes read from ${file.name}.`);
    });
  }
}
