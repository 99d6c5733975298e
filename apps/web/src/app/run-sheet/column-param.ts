import { ChangeDetectionStrategy, Component, computed, input, linkedSignal, output, signal } from '@angular/core';
import { apart, withUnit, type ColumnInfo, type ParamSpec } from '@helk/core';
import { FormulaField, type FormulaName } from '../parts/formula-field';

/** The choice that stands for a formula; no column is called so. */
const FORMULA = '\u0000formula';

/** A column of an input; where that will do, a formula over its columns instead. */
@Component({
  selector: 'helk-column-param',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormulaField],
  host: { class: 'block min-w-0' },
  template: `
    <select [id]="'p-' + name()" class="w-full" (change)="choose($any($event.target).value)">
      <option value="" [selected]="!value() && !typing()">
        {{ suggested() || (spec().optional ? 'none' : 'choose …') }}
      </option>
      @for (c of columns(); track c.name) {
        <option [value]="c.name" [selected]="!typing() && c.name === value()">{{ titled(c.name, c.unit) }}</option>
      }
      @if (spec().formula) {
        <option [value]="formula" [selected]="typing()">a formula …</option>
      }
    </select>
    @if (typing()) {
      <helk-formula-field
        class="mt-1"
        [value]="value()"
        [names]="names()"
        [geometry]="true"
        [label]="spec().label + ', formula'"
        hint="like cases / people * 1000"
        (changed)="changed.emit($event)"
      />
    }
  `,
})
export class ColumnParam {
  readonly name = input.required<string>();
  readonly spec = input.required<ParamSpec>();
  readonly value = input.required<string>();
  readonly suggested = input('');
  readonly columns = input.required<ColumnInfo[]>();
  readonly names = input<FormulaName[]>([]);
  readonly changed = output<string>();
  protected readonly formula = FORMULA;
  protected readonly titled = withUnit;
  private readonly asked = signal(false);
  /** A value that is no column is a formula. */
  protected readonly typing = computed(
    () =>
      !!this.spec().formula &&
      (this.asked() ||
        (!!this.value() && this.columns().length > 0 && !this.columns().some((c) => c.name === this.value()))),
  );

  protected choose(value: string): void {
    this.asked.set(value === FORMULA);
    if (value !== FORMULA) this.changed.emit(value);
  }
}

/** Several columns; where those will do, formulas among them. */
@Component({
  selector: 'helk-columns-param',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormulaField],
  host: { class: 'block min-w-0' },
  template: `
    <div class="border border-line rounded-[5px] bg-leaf max-h-[112px] overflow-auto py-1" [id]="'p-' + name()">
      @for (c of offered(); track c) {
        <label class="flex items-center gap-1.5 px-2 text-[12.5px] h-[24px]"
          ><input
            type="checkbox"
            [checked]="listed().includes(c)"
            (change)="tick(c, $any($event.target).checked)"
          /><span class="truncate" [title]="c">{{ c }}</span></label
        >
      } @empty {
        <span class="px-2 text-ink-2 text-[12px]">no columns</span>
      }
    </div>
    @if (spec().formula) {
      @if (typing()) {
        <div class="flex items-start gap-1 mt-1">
          <helk-formula-field
            class="flex-1 min-w-0"
            [value]="draft()"
            [names]="names()"
            [geometry]="true"
            [label]="spec().label + ', formula'"
            hint="like log(income)"
            (changed)="draft.set($event)"
          />
          <button class="btn !min-h-[30px] !px-2" [disabled]="!draft().trim()" (click)="add()">Add</button>
        </div>
      } @else {
        <button class="link text-[12px]" (click)="typing.set(true)" [attr.data-testid]="'formula-' + name()">
          Add a formula
        </button>
      }
    }
  `,
})
export class ColumnsParam {
  readonly name = input.required<string>();
  readonly spec = input.required<ParamSpec>();
  readonly value = input.required<string>();
  readonly columns = input.required<ColumnInfo[]>();
  readonly names = input<FormulaName[]>([]);
  readonly changed = output<string>();
  protected readonly typing = signal(false);
  protected readonly draft = linkedSignal({ source: this.name, computation: () => '' });
  protected readonly listed = computed(() =>
    (this.spec().formula ? apart(this.value()) : this.value().split(',')).map((s) => s.trim()).filter(Boolean),
  );
  protected readonly offered = computed(() => {
    const own = this.columns().map((c) => c.name);
    return [...own, ...this.listed().filter((v) => !own.includes(v))];
  });

  protected tick(one: string, on: boolean): void {
    const rest = this.listed().filter((c) => c !== one);
    this.changed.emit((on ? [...rest, one] : rest).join(','));
  }

  protected add(): void {
    this.tick(this.draft().trim(), true);
    this.draft.set('');
    this.typing.set(false);
  }
}
