import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import {
  breaksFor,
  categoriesOf,
  categoryColours,
  classOf,
  formatNumber,
  RAMPS,
  sortedValues,
  type BreakRule,
  type ColourBy,
  type VectorStyle,
} from '@helk/core';
import { readClassTable, writeClassTable } from '@helk/core/formats/class-table';
import { rampColours } from '@helk/core/render/symbols';
import { FormulaField } from '../parts/formula-field';
import { chosenFile, saveText } from '../parts/save';
import { BenchStore, type Layer } from '../state/bench.store';
import { FeatureData } from '../state/feature-data';
import { ProjectStore } from '../state/project.store';
import { rampCss } from './key';

const RULES: { id: BreakRule; title: string }[] = [
  { id: 'equal', title: 'equal steps' },
  { id: 'quantile', title: 'equal counts' },
  { id: 'natural', title: 'natural breaks' },
  { id: 'geometric', title: 'geometric steps' },
  { id: 'sd', title: 'by s.d.' },
  { id: 'own', title: 'own breaks' },
];

/** How features are drawn: colour by one, by classes of a number or by category; size, outline, labels. */
@Component({
  selector: 'helk-vector-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormulaField],
  host: { class: 'grid gap-2.5' },
  template: `
    <div class="flex gap-1" role="radiogroup" aria-label="Colour by">
      @for (k of kinds(); track k.id) {
        <button
          class="bar flex-1 justify-center"
          [class.on]="style().by.kind === k.id"
          role="radio"
          [attr.aria-checked]="style().by.kind === k.id"
          (click)="kind(k.id)"
        >
          {{ k.title }}
        </button>
      }
    </div>
    @if (style().by; as by) {
      @if (by.kind !== 'one') {
        <label class="grid grid-cols-[92px_1fr] items-center gap-2"
          ><span>Column</span>
          <select (change)="column($any($event.target).value)" aria-label="Column to colour by">
            @for (c of by.kind === 'classes' ? numbers() : columns(); track c.name) {
              <option [value]="c.name" [selected]="c.name === by.column">{{ c.name }}</option>
            }
          </select>
        </label>
      }
      @if (by.kind === 'classes') {
        <div class="grid grid-cols-[92px_1fr_1fr] items-center gap-2">
          <span>Classes</span>
          <select
            (change)="by_({ classes: +$any($event.target).value })"
            aria-label="Number of classes"
            [disabled]="by.rule === 'own'"
          >
            @for (n of counts; track n) {
              <option [value]="n" [selected]="n === by.classes">{{ n }}</option>
            }
          </select>
          <select (change)="rule($any($event.target).value)" aria-label="Break rule">
            @for (r of rules; track r.id) {
              <option [value]="r.id" [selected]="r.id === by.rule">{{ r.title }}</option>
            }
          </select>
        </div>
        <div class="h-[44px] flex items-end gap-px relative" aria-hidden="true">
          @for (b of bars(); track $index) {
            <span class="flex-1" [style.height.%]="b.height" [style.background]="b.colour"></span>
          }
          @for (m of marks(); track $index) {
            <span class="absolute top-0 bottom-0 w-px bg-ink" [style.left.%]="m"></span>
          }
        </div>
        @if (by.rule === 'own') {
          <input
            class="num w-full"
            [value]="by.own.join(' ')"
            (change)="own($any($event.target).value)"
            aria-label="Own breaks"
            placeholder="breaks, apart by spaces"
          />
        } @else {
          <div class="num text-[11.5px] text-ink-2">{{ breakText() }}</div>
        }
        <div class="grid grid-cols-[1fr_auto] items-center gap-2">
          <div class="flex gap-1 flex-wrap">
            @for (r of ramps; track r.id) {
              <button
                class="h-[18px] w-[34px] rounded-[3px] border"
                [class]="r.id === by.ramp ? 'border-act outline outline-1 outline-act' : 'border-line'"
                [style.background]="css(r.id, by.reversed)"
                (click)="by_({ ramp: r.id })"
                [attr.aria-label]="r.title"
                [title]="r.title"
              ></button>
            }
          </div>
          <label class="flex items-center gap-1.5"
            ><input
              type="checkbox"
              [checked]="by.reversed"
              (change)="by_({ reversed: $any($event.target).checked })"
            />Reversed</label
          >
        </div>
      }
      @if (by.kind === 'category') {
        <div class="max-h-[168px] overflow-auto border border-line rounded-[5px] bg-leaf">
          @for (c of categories(); track c.key) {
            <label class="flex items-center gap-2 px-2 h-[26px]">
              <input
                type="color"
                class="w-[22px] !h-[18px] !min-h-0 !p-0 flex-none"
                [value]="c.colour"
                (input)="paint(c.key, $any($event.target).value)"
                [attr.aria-label]="'Colour of ' + c.key"
              />
              <span class="truncate flex-1">{{ c.key || '(empty)' }}</span><span class="num text-ink-2 text-[11.5px]">{{
                c.count
              }}</span>
            </label>
          }
        </div>
        <div class="flex gap-3 text-[12.5px]">
          <button class="link" (click)="by_({ colours: {} })">Suggested colours</button>
          <button class="link" (click)="save()">Save</button>
          <label class="link cursor-pointer"
            >Load<input type="file" class="sr-only" accept=".json" (change)="load($any($event.target))"
          /></label>
        </div>
      }
      @if (by.kind === 'one') {
        <label class="grid grid-cols-[92px_1fr] items-center gap-2"
          ><span>Colour</span
          ><input
            type="color"
            [value]="style().colour"
            (input)="put({ colour: $any($event.target).value })"
            aria-label="Colour"
        /></label>
      }
    }
    @if (geometry() !== 'polygon') {
      <div class="grid grid-cols-[92px_1fr_60px] items-center gap-2">
        <span>{{ geometry() === 'point' ? 'Size by' : 'Width by' }}</span>
        <select (change)="size($any($event.target).value)" aria-label="Size by">
          <option value="" [selected]="!style().size">all alike</option>
          @for (c of numbers(); track c.name) {
            <option [value]="c.name" [selected]="c.name === style().size?.column">{{ c.name }}</option>
          }
        </select>
        @if (style().size; as z) {
          <input
            class="num"
            type="number"
            min="2"
            max="40"
            [value]="z.largest"
            (input)="put({ size: { column: z.column, largest: +$any($event.target).value || z.largest } })"
            aria-label="Largest, pixels"
            title="largest, pixels"
          />
        }
      </div>
    }
    <label class="grid grid-cols-[92px_1fr_52px] items-center gap-2"
      ><span>{{ geometry() === 'point' ? 'Size' : 'Line' }}</span
      ><input
        type="range"
        min="0"
        max="6"
        step="0.2"
        [value]="style().width"
        (input)="put({ width: +$any($event.target).value })"
        aria-label="Line width"
      /><span class="num text-right">{{ style().width }} px</span></label
    >
    @if (geometry() !== 'line') {
      <div class="grid grid-cols-[92px_1fr_52px] items-center gap-2">
        <span>Outline</span>
        <input
          type="color"
          [value]="style().outline ?? style().colour"
          (input)="put({ outline: $any($event.target).value })"
          aria-label="Outline colour"
        />
        @if (style().outline) {
          <button class="link text-[12px]" (click)="put({ outline: null })">as inside</button>
        }
      </div>
    }
    @if (geometry() === 'polygon') {
      <label class="grid grid-cols-[92px_1fr_52px] items-center gap-2"
        ><span>Fill</span
        ><input
          type="range"
          min="0"
          max="1"
          step="0.05"
          [value]="style().fill"
          (input)="put({ fill: +$any($event.target).value })"
          aria-label="Fill"
        /><span class="num text-right">{{ percent(style().fill) }}</span></label
      >
    }
    <label class="grid grid-cols-[92px_1fr_52px] items-center gap-2"
      ><span>Opacity</span
      ><input
        type="range"
        min="0"
        max="1"
        step="0.05"
        [value]="style().opacity"
        (input)="put({ opacity: +$any($event.target).value })"
        aria-label="Opacity"
      /><span class="num text-right">{{ percent(style().opacity) }}</span></label
    >
    <div class="border-t border-line-soft pt-2">
      <div class="flex items-center gap-2 mb-1">
        <span class="flex-1">Label</span>
        @if (style().label; as l) {
          <input
            class="num w-[56px]"
            type="number"
            min="7"
            max="30"
            step="0.5"
            [value]="l.size"
            (input)="put({ label: { formula: l.formula, size: +$any($event.target).value || l.size } })"
            aria-label="Label size, pixels"
            title="size, pixels"
          />
        }
      </div>
      <helk-formula-field
        [value]="style().label?.formula ?? ''"
        [names]="names()"
        [geometry]="true"
        label="Label formula"
        hint='a column, or text(peat_cm, 0) + " cm"'
        (changed)="label($event)"
      />
    </div>
  `,
})
export class VectorEditor {
  readonly pane = input.required<number>();
  readonly layer = input.required<Layer>();
  private readonly bench = inject(BenchStore);
  private readonly project = inject(ProjectStore);
  private readonly data = inject(FeatureData);
  protected readonly rules = RULES;
  protected readonly ramps = RAMPS.filter((r) => r.kind !== 'cyclic');
  protected readonly counts = Array.from({ length: 11 }, (_, i) => i + 2);
  protected readonly css = (ramp: string, reversed: boolean): string => rampCss({ ramp, reversed, breaks: [] });
  protected readonly percent = (v: number): string => `${Math.round(v * 100)} %`;
  protected readonly style = computed(() => this.layer().vector!);
  private readonly features = computed(() => this.data.features(this.layer().dataset));
  protected readonly info = computed(() => {
    const i = this.project.datasetEntityMap()[this.layer().dataset]?.info;
    return i?.kind === 'features' ? i : null;
  });
  protected readonly geometry = computed(() => this.info()?.geometry ?? 'point');
  protected readonly columns = computed(() => this.info()?.columns ?? []);
  protected readonly numbers = computed(() => this.columns().filter((c) => c.type === 'number'));
  protected readonly names = computed(() => this.columns().map((c) => ({ name: c.name, detail: c.unit ?? c.type })));
  protected readonly kinds = computed(() => [
    { id: 'one' as const, title: 'one colour' },
    ...(this.numbers().length ? [{ id: 'classes' as const, title: 'classes' }] : []),
    ...(this.columns().length ? [{ id: 'category' as const, title: 'category' }] : []),
  ]);
  private readonly sorted = computed(() => {
    const by = this.style().by;
    const c = by.kind === 'classes' ? this.features()?.columns.find((x) => x.name === by.column) : undefined;
    return c ? sortedValues(c) : new Float64Array();
  });
  protected readonly breaks = computed(() => {
    const by = this.style().by;
    return by.kind === 'classes' && this.sorted().length ? breaksFor(by, this.sorted()) : [];
  });
  protected readonly breakText = computed(() => {
    const s = this.sorted();
    return this.breaks()
      .map((b) => formatNumber(b, s[s.length - 1]! - s[0]!))
      .join('  ');
  });
  protected readonly bars = computed(() => {
    const by = this.style().by;
    const s = this.sorted();
    if (by.kind !== 'classes' || !s.length) return [];
    const n = 48;
    const [low, high] = [s[0]!, s[s.length - 1]!];
    const bins = new Uint32Array(n);
    for (const v of s) bins[Math.min(n - 1, Math.floor(((v - low) / (high - low || 1)) * n))]!++;
    const most = bins.reduce((a, b) => Math.max(a, b), 1);
    const breaks = this.breaks();
    const colours = rampColours(by.ramp, by.reversed, breaks.length + 1);
    return Array.from(bins, (b, i) => ({
      height: (100 * b) / most,
      colour: colours[classOf(low + ((i + 0.5) / n) * (high - low), breaks)]!,
    }));
  });
  protected readonly marks = computed(() => {
    const s = this.sorted();
    return this.breaks().map((b) => (100 * (b - s[0]!)) / (s[s.length - 1]! - s[0]! || 1));
  });
  protected readonly categories = computed(() => {
    const by = this.style().by;
    const c = by.kind === 'category' ? this.features()?.columns.find((x) => x.name === by.column) : undefined;
    if (!c || by.kind !== 'category') return [];
    const all = categoriesOf(c).slice(0, 200);
    const suggested = categoryColours(all.map((x) => x.key));
    return all.map((x, i) => ({ ...x, colour: by.colours[x.key] ?? suggested[i]! }));
  });
  protected readonly unsaved = signal('');

  protected put(patch: Partial<VectorStyle>): void {
    this.bench.redraw(this.pane(), this.layer().dataset, patch);
  }

  protected by_(patch: object): void {
    this.put({ by: { ...this.style().by, ...patch } as ColourBy });
  }

  protected kind(kind: ColourBy['kind']): void {
    const fill = kind === 'one' ? 0.15 : 0.85;
    const solid =
      this.geometry() === 'polygon'
        ? { fill, outline: kind === 'one' ? null : '#6a6258', width: kind === 'one' ? 2 : 0.6 }
        : {};
    if (kind === 'one') this.put({ by: { kind }, ...solid });
    else if (kind === 'classes')
      this.put({
        by: {
          kind,
          column: this.numbers()[0]!.name,
          rule: 'natural',
          classes: 5,
          own: [],
          ramp: 'viridis',
          reversed: false,
        },
        ...solid,
      });
    else
      this.put({
        by: { kind, column: (this.columns().find((c) => c.type === 'text') ?? this.columns()[0]!).name, colours: {} },
        ...solid,
      });
  }

  protected column(column: string): void {
    this.by_(this.style().by.kind === 'classes' ? { column, own: [] } : { column, colours: {} });
  }

  protected rule(rule: BreakRule): void {
    this.by_(rule === 'own' ? { rule, own: this.breaks().map((b) => Number(b.toPrecision(5))) } : { rule });
  }

  protected own(text: string): void {
    const own = text
      .split(/[\s;]+/)
      .filter(Boolean)
      .map((t) => Number(t.replace(',', '.')));
    if (own.some((v) => v !== v)) this.project.notify('Breaks are numbers, apart by spaces.', 'refused');
    else this.by_({ own: own.sort((a, b) => a - b).slice(0, 11) });
  }

  protected size(column: string): void {
    this.put({
      size: column ? { column, largest: this.style().size?.largest ?? (this.geometry() === 'point' ? 12 : 4) } : null,
    });
  }

  protected label(formula: string): void {
    this.put({ label: formula.trim() ? { formula, size: this.style().label?.size ?? 11 } : null });
  }

  protected paint(key: string, colour: string): void {
    const by = this.style().by;
    if (by.kind === 'category') this.by_({ colours: { ...by.colours, [key]: colour } });
  }

  protected save(): void {
    saveText(
      writeClassTable(this.categories().map((c) => ({ label: c.key, colour: c.colour }))),
      'classes.json',
      'application/json',
    );
  }

  protected async load(field: HTMLInputElement): Promise<void> {
    const file = chosenFile(field);
    if (!file) return;
    await this.project.guarded(async () => {
      const all = readClassTable(await file.text());
      this.by_({ colours: Object.fromEntries(all.filter((c) => c.colour).map((c) => [c.label, c.colour])) });
    });
  }
}
