import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import {
  breaksFor,
  categoriesOf,
  categoryColours,
  classOf,
  formatNumber,
  featuresOf,
  inOrder,
  sortedValues,
  type BreakRule,
  type ColourBy,
  type VectorStyle,
} from '@helk/core';
import { readClassTable, writeClassTable } from '@helk/core/formats/class-table';
import { rampColours } from '@helk/core/render/symbols';
import type { EditorOf } from '../kinds/kind';
import { FormulaField } from '../parts/formula-field';
import { chosenFile, saveText } from '../parts/save';
import { ClassPalettes } from '../palette/class-palettes';
import { RampList } from '../palette/ramp-list';
import { SliderRow } from '../parts/slider-row';
import { FeatureData } from '../state/feature-data';
import { ProjectStore } from '../state/project.store';

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
  imports: [ClassPalettes, FormulaField, RampList, SliderRow],
  host: { class: 'grid grid-cols-1 gap-2.5' },
  templateUrl: './vector-editor.html',
})
export class VectorEditor {
  readonly of = input.required<EditorOf<VectorStyle>>();
  private readonly project = inject(ProjectStore);
  private readonly data = inject(FeatureData);
  protected readonly rules = RULES;
  protected readonly kindsOfRamps = ['sequential', 'diverging'] as const;
  protected readonly counts = Array.from({ length: 11 }, (_, i) => i + 2);
  protected readonly percent = (v: number): string => `${Math.round(v * 100)} %`;
  protected readonly style = computed(() => this.of().look);
  private readonly features = computed(() => this.data.features(this.of().item.id));
  protected readonly info = computed(() => featuresOf(this.of().item.info));
  protected readonly geometry = computed(() => this.info()?.geometry ?? 'point');
  protected readonly columns = computed(() => this.info()?.columns ?? []);
  protected readonly numbers = computed(() => this.columns().filter((c) => c.type === 'number'));
  protected readonly names = computed(() => this.columns().map((c) => ({ name: c.name, detail: c.unit ?? c.type })));
  private readonly overRaster = computed(() => this.style().by.kind === 'raster' || this.of().over);
  protected readonly kinds = computed(() => [
    { id: 'one' as const, title: 'one' },
    ...(this.numbers().length ? [{ id: 'classes' as const, title: 'classes' }] : []),
    ...(this.columns().length ? [{ id: 'category' as const, title: 'category' }] : []),
    ...(this.numbers().length && this.overRaster() ? [{ id: 'raster' as const, title: 'as raster' }] : []),
  ]);
  private readonly sorted = computed(() => {
    const by = this.style().by;
    if (by.kind !== 'classes') return new Float64Array();
    const spread = this.of().spread?.(by.column);
    const c = this.features()?.columns.find((x) => x.name === by.column);
    return spread ?? (c ? sortedValues(c) : new Float64Array());
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
    const all = inOrder(categoriesOf(c).slice(0, 200), (x) => x.key);
    const suggested = categoryColours(all.map((x) => x.key));
    return all.map((x, i) => ({ ...x, colour: by.colours[x.key] ?? suggested[i]! }));
  });
  protected readonly classColours = computed(() => this.categories().map((c) => c.colour));
  protected readonly classLabels = computed(() => this.categories().map((c) => c.key));
  protected readonly unsaved = signal('');

  protected put(patch: Partial<VectorStyle>): void {
    this.of().put(patch);
  }

  /** A colour for each category, in their order. */
  protected paintAll(colours: readonly string[]): void {
    this.by_({ colours: Object.fromEntries(this.categories().map((c, i) => [c.key, colours[i]!])) });
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
    else if (kind === 'raster') this.put({ by: { kind, column: this.numbers()[0]!.name }, ...solid });
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
    const extra = { classes: { own: [] }, category: { colours: {} }, raster: {}, one: {} }[this.style().by.kind];
    this.by_({ column, ...extra });
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

  /** A set of greys for print; every one can be changed after that. */
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
