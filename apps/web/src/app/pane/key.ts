import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { displayUnit, formatNumber, rampTable, type BandFacts, type RasterStyle, type Scale } from '@helk/core';
import { colourTable } from '@helk/core/render/paint';

const MOST_LISTED = 12;

/** Colours of a scale as a CSS background: a ramp, or steps. */
export function rampCss(scale: Pick<Scale, 'ramp' | 'reversed' | 'breaks'>): string {
  const n = scale.breaks.length + 1;
  const steps = n > 1 ? colourTable({ ...scale, low: 0, high: 1 }).table : rampTable(scale.ramp, scale.reversed);
  const of = (i: number): string => `rgb(${steps[3 * i]},${steps[3 * i + 1]},${steps[3 * i + 2]})`;
  if (n > 1)
    return `linear-gradient(90deg,${Array.from({ length: n }, (_, i) => `${of(i)} ${(100 * i) / n}% ${(100 * (i + 1)) / n}%`).join(',')})`;
  return `linear-gradient(90deg,${Array.from({ length: 17 }, (_, i) => of(Math.round((i * 255) / 16))).join(',')})`;
}

/** The key of one raster: what its colours mean, in its unit. */
@Component({
  selector: 'helk-key',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="text-[12px] leading-tight">
      <div class="truncate font-[550] mb-1" [title]="title()">{{ title() }}</div>
      @if (classes().length) {
        @for (c of classes(); track $index) {
          <div class="flex items-center gap-1.5 num text-[11px] leading-[15px]">
            <span class="w-4 h-2.5 rounded-[1px] flex-none" [style.background]="c.colour"></span>{{ c.text }}
          </div>
        }
      } @else {
        <div class="h-[9px] rounded-[2px]" [style.background]="css()"></div>
        <div class="num flex justify-between mt-0.5 text-[11px]">
          @for (t of ticks(); track $index) {
            <span>{{ t }}</span>
          }
        </div>
      }
      @if (note()) {
        <div class="text-ink-2 text-[11px] mt-0.5">{{ note() }}</div>
      }
      @if (unplaced()) {
        <div class="text-[11px] text-look" title="Drawn as if it lay in the system of the pane">system not known</div>
      }
      @if (style().showMissing && facts().enclosedCells > 0) {
        <div class="flex items-center gap-1.5 mt-1 text-[11px]">
          <span class="hatch inline-block w-4 h-2.5 rounded-[1px]"></span>missing inside:
          {{ number(facts().enclosedCells) }} cells
        </div>
      }
    </div>
  `,
})
export class Key {
  readonly name = input.required<string>();
  readonly unit = input<string | null>(null);
  readonly scale = input.required<Scale>();
  readonly style = input.required<RasterStyle>();
  readonly facts = input.required<BandFacts>();
  readonly shared = input(false);
  readonly unplaced = input(false);

  protected readonly title = computed(() => {
    const unit = this.unit();
    if (this.scale().classes) return this.name();
    return `${this.name()}${unit === null ? ' (unit not known)' : unit ? `, ${displayUnit(unit)}` : ''}`;
  });
  protected readonly css = computed(() => rampCss(this.scale()));
  protected readonly ticks = computed(() => {
    const { low, high } = this.scale();
    const range = high - low;
    const all = [low, (low + high) / 2, high];
    const f = this.facts().summary;
    return all.map(
      (v, i) =>
        (i === 0 && f.min < low ? '≤ ' : i === all.length - 1 && f.max > high ? '≥ ' : '') +
        formatNumber(roundTo(v, range), range),
    );
  });
  /** Up to seven classes are listed one by one; more are read off the stepped ramp. */
  protected readonly classes = computed(() => {
    const own = this.scale().classes;
    if (own) return own.slice(0, MOST_LISTED).map((c) => ({ colour: c.colour, text: c.label }));
    const { low, high, breaks } = this.scale();
    if (!breaks.length || breaks.length > 6) return [];
    const { table } = colourTable(this.scale());
    const ends = [low, ...breaks, high];
    const text = (v: number): string => formatNumber(roundTo(v, high - low), high - low);
    return ends.slice(1).map((to, i) => ({
      colour: `rgb(${table[3 * i]},${table[3 * i + 1]},${table[3 * i + 2]})`,
      text: `${text(ends[i]!)} to ${text(to)}`,
    }));
  });
  protected readonly note = computed(() => {
    const s = this.style().stretch;
    const parts: string[] = [];
    if (this.shared()) parts.push('shared scale');
    else if (s.kind === 'percentile') parts.push(`${s.cut} to ${100 - s.cut} % of the values`);
    else if (s.kind === 'sd') parts.push(`mean ± ${s.times} standard deviations`);
    const classes = this.scale().classes;
    if (classes) return classes.length > MOST_LISTED ? `and ${classes.length - MOST_LISTED} more` : '';
    if (this.scale().breaks.length > 6) parts.push(`${this.scale().breaks.length + 1} classes`);
    return parts.join(', ');
  });
  protected readonly number = (v: number): string => formatNumber(v);
}

/** Three digits of the range are enough to read a key by. */
export function roundTo(v: number, range: number): number {
  if (!(range > 0)) return v;
  const step = 10 ** (Math.floor(Math.log10(range)) - 2);
  return Math.round(v / step) * step;
}
