import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import type { InputSpec, MethodDescription, ParamSpec } from '@helk/core';

/** What may be wrong, as one line of fields. */
interface Field {
  name: string;
  label: string;
  kind: 'values' | 'position' | 'setting';
  first: string;
  second: string;
}

const NUMBERS = new Set<ParamSpec['type']>(['number', 'length', 'area', 'volume', 'time', 'angle', 'speed']);

const kindOfInput = (i: InputSpec): Field['kind'] | null =>
  i.kind === 'raster' && i.band !== 'category'
    ? 'values'
    : i.kind === 'features' && i.geometry === 'point'
      ? 'position'
      : null;

/** How wrong what goes in may be: each grid, each set of points, each setting by itself; kept as one text. */
@Component({
  selector: 'helk-errors-param',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'block', 'data-testid': 'errors' },
  template: `
    <p class="text-[13px]">How wrong it may be</p>
    @for (f of fields(); track f.name) {
      <div class="mt-1.5">
        <p class="text-[12.5px] text-ink-2">{{ f.label }}</p>
        <div class="flex items-center gap-1.5 text-[12.5px]">
          @switch (f.kind) {
            @case ('values') {
              <input
                class="num w-[76px]"
                [value]="f.first"
                placeholder="2 m"
                [attr.aria-label]="'Standard deviation of ' + f.label"
                [attr.data-testid]="'error-' + f.name"
                (change)="put(f, $any($event.target).value, f.second)"
              />
              <span class="text-ink-2">alike over</span>
              <input
                class="num w-[76px]"
                [value]="f.second"
                placeholder="0 m"
                [attr.aria-label]="'Length over which errors of ' + f.label + ' are alike'"
                [attr.data-testid]="'over-' + f.name"
                (change)="put(f, f.first, $any($event.target).value)"
              />
            }
            @case ('position') {
              <input
                class="num w-[76px]"
                [value]="f.first"
                placeholder="15 m"
                [attr.aria-label]="'Error of position of ' + f.label"
                [attr.data-testid]="'error-' + f.name"
                (change)="put(f, $any($event.target).value, '')"
              />
              <span class="text-ink-2">in each direction</span>
            }
            @default {
              <input
                class="num w-[84px]"
                [value]="f.first"
                placeholder="from"
                [attr.aria-label]="f.label + ', from'"
                (change)="put(f, $any($event.target).value, f.second)"
              />
              <span class="text-ink-2">to</span>
              <input
                class="num w-[84px]"
                [value]="f.second"
                placeholder="to"
                [attr.aria-label]="f.label + ', to'"
                (change)="put(f, f.first, $any($event.target).value)"
              />
            }
          }
        </div>
      </div>
    } @empty {
      <p class="text-[12.5px] text-ink-2 mt-1">Choose a recipe first.</p>
    }
    <p class="text-[12px] text-ink-2 mt-1.5">
      Standard deviations; what is left empty is taken to be right. Errors of a grid are alike over a length, those of
      points and settings stand by themselves.
    </p>
  `,
})
export class ErrorsParam {
  /** The recipe as a method. */
  readonly recipe = input<MethodDescription | null>(null);
  readonly value = input.required<string>();
  readonly changed = output<string>();

  private readonly parts = computed(
    () =>
      new Map(
        this.value()
          .split(/[;\n]/)
          .flatMap((p): [string, string][] => {
            const at = p.indexOf(':');
            return at < 0 ? [] : [[p.slice(0, at).trim(), p.slice(at + 1).trim()]];
          }),
      ),
  );
  protected readonly fields = computed((): Field[] => {
    const m = this.recipe();
    if (!m) return [];
    const field = (name: string, label: string, kind: Field['kind']): Field => {
      const [first = '', second = ''] = (this.parts().get(name) ?? '').split(
        kind === 'setting' ? /\s*\bto\b\s*/ : /\s*\bover\b\s*/,
      );
      return { name, label, kind, first, second };
    };
    return [
      ...Object.entries(m.inputs).flatMap(([name, i]) => {
        const kind = kindOfInput(i as InputSpec);
        return kind ? [field(name, i.label, kind)] : [];
      }),
      ...Object.entries(m.params).flatMap(([name, s]) =>
        !s.fixed && NUMBERS.has(s.type) ? [field(name, s.group ? `${s.label} (${s.group})` : s.label, 'setting')] : [],
      ),
    ];
  });

  protected put(f: Field, first: string, second: string): void {
    const join = f.kind === 'setting' ? ' to ' : ' over ';
    const text = [first.trim(), second.trim()].filter(Boolean).join(join);
    const parts = new Map(this.parts());
    if (text) parts.set(f.name, text);
    else parts.delete(f.name);
    this.changed.emit([...parts].map(([name, v]) => `${name}: ${v}`).join('; '));
  }
}
