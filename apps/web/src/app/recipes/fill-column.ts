import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { crossed, series } from '@helk/core/recipe/series';
import type { ApiTable } from '@helk/core/api/schemas';
import { cellsOf, type ColumnSeen } from '../state/tables';

/** Most values that a column is filled with at once. */
const MOST = 500;

/** Fills a column: the first cell down, a series that goes on, some values one row each or each with every row there is. */
@Component({
  selector: 'helk-fill-column',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'popover block w-[300px] p-3 text-[13px]', 'data-testid': 'fill-column' },
  template: `
    <p class="font-[600]">{{ column().label }}</p>
    <label class="block mt-2 text-[12.5px]"
      >Values, apart by commas
      <input
        class="num w-full mt-0.5"
        [value]="text()"
        [placeholder]="example()"
        (input)="type($any($event.target).value)"
        data-testid="fill-values"
        autocomplete="off"
      />
    </label>
    <label class="flex items-center gap-2 mt-1.5 text-[12.5px]"
      >going on until there are
      <input
        class="num w-[56px]"
        type="number"
        min="1"
        max="500"
        [value]="count()"
        (input)="wanted.set(+$any($event.target).value)"
        data-testid="fill-count"
    /></label>
    @if (values().length) {
      <p class="num text-[11.5px] text-ink-2 mt-1.5 max-h-[54px] overflow-auto" data-testid="fill-preview">
        {{ values().join(', ') }}
      </p>
    }
    <div class="grid grid-cols-1 gap-1.5 mt-2.5">
      <button class="btn" [disabled]="!values().length" (click)="each()" data-testid="fill-each">
        {{ values().length }} rows, one for each
      </button>
      @if (table().rows.length > 1) {
        <button class="btn" [disabled]="!values().length" (click)="cross()" data-testid="fill-cross">
          Each with every row: {{ values().length * table().rows.length }} rows
        </button>
        <button class="btn" [disabled]="!first()" (click)="down()" data-testid="fill-down">
          The first cell all the way down
        </button>
      }
    </div>
  `,
})
export class FillColumn {
  readonly table = input.required<ApiTable>();
  readonly column = input.required<ColumnSeen>();
  readonly at = input.required<number>();
  readonly filled = output<string[][]>();
  protected readonly text = signal('');
  protected readonly wanted = signal(0);
  private readonly begun = computed(() =>
    this.text()
      .split(/[,\n]/)
      .map((s) => s.trim())
      .filter((s) => s && s !== '…' && s !== '...'),
  );
  protected readonly count = computed(() => this.wanted() || this.begun().length);
  protected readonly values = computed(() => {
    const begun = this.begun();
    return begun.length ? series(begun, Math.min(MOST, Math.max(this.count(), 1))) : [];
  });
  protected readonly first = computed(() => this.table().rows[0]?.cells[this.at()] ?? '');

  protected example(): string {
    const s = this.column().setting;
    if (s?.choices) return s.choices.map((c) => c.value).join(', ');
    const unit = s?.unit && s.unit !== 'crs' ? ` ${s.unit}` : '';
    return `15${unit}, 30${unit}`;
  }

  protected type(v: string): void {
    this.text.set(v);
    this.wanted.set(0);
  }

  private cells = (): string[][] => cellsOf(this.table());

  /** Rows there are take the values in turn; where there are not enough, the last is repeated with the next value. */
  protected each(): void {
    const rows = this.cells();
    const out = this.values().map((v, k) => {
      const of = rows[k] ?? rows.at(-1) ?? this.table().columns.map(() => '');
      return of.map((c, i) => (i === this.at() ? v : c));
    });
    this.filled.emit([...out, ...rows.slice(out.length)]);
  }

  protected cross(): void {
    this.filled.emit(crossed(this.cells(), this.at(), this.values()));
  }

  protected down(): void {
    this.filled.emit(this.cells().map((r) => r.map((c, i) => (i === this.at() ? this.first() : c))));
  }
}
