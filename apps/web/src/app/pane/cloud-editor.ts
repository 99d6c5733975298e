import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import {
  attributeTitle,
  classColour,
  className,
  cloudRange,
  formatNumber,
  type CloudBy,
  type CloudInfo,
  type CloudStyle,
} from '@helk/core';
import type { EditorOf } from '../kinds/kind';
import { RampList } from '../palette/ramp-list';
import { SliderRow } from '../parts/slider-row';
import { ProjectStore } from '../state/project.store';

/** How a cloud is drawn: by what its points are coloured, which classes are seen, how large a point is. */
@Component({
  selector: 'helk-cloud-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [SliderRow, RampList],
  host: { class: 'grid grid-cols-1 gap-2.5' },
  template: `
    <label class="grid grid-cols-[92px_1fr] items-center gap-2">
      <span>Colour by</span>
      <select aria-label="Colour by" data-testid="cloud-by" (change)="take($any($event.target).value)">
        @for (w of ways(); track w.key) {
          <option [value]="w.key" [selected]="w.key === way()">{{ w.title }}</option>
        }
      </select>
    </label>
    @if (range(); as r) {
      <helk-ramp-list
        [ramp]="look().ramp"
        [reversed]="look().reversed"
        [compact]="true"
        (picked)="put({ ramp: $event })"
      />
      <label class="flex items-center gap-2"
        ><input type="checkbox" [checked]="look().reversed" (change)="put({ reversed: $any($event.target).checked })" />
        The other way round</label
      >
      <label class="grid grid-cols-[92px_1fr] items-center gap-2">
        <span>Stretch</span>
        <select aria-label="Stretch" (change)="stretch($any($event.target).value)">
          <option value="middle" [selected]="look().stretch.kind === 'middle'">2 to 98 %</option>
          <option value="minmax" [selected]="look().stretch.kind === 'minmax'">lowest to highest</option>
          <option value="own" [selected]="look().stretch.kind === 'own'">own limits</option>
        </select>
      </label>
      @if (look().stretch.kind === 'own') {
        <div class="grid grid-cols-[92px_1fr_1fr] items-center gap-2">
          <span>Between</span>
          <input
            class="num w-full"
            type="number"
            step="any"
            [value]="r[0]"
            aria-label="Lowest"
            (change)="limit(0, $any($event.target).value)"
          />
          <input
            class="num w-full"
            type="number"
            step="any"
            [value]="r[1]"
            aria-label="Highest"
            (change)="limit(1, $any($event.target).value)"
          />
        </div>
      }
    }
    @if (look().by === 'one') {
      <label class="grid grid-cols-[92px_1fr] items-center gap-2"
        ><span>Colour</span
        ><input
          type="color"
          aria-label="Colour"
          [value]="look().colour"
          (change)="put({ colour: $any($event.target).value })"
      /></label>
    }
    @if (classes().length > 1) {
      <div class="grid grid-cols-1 gap-1 max-h-[190px] overflow-y-auto" role="group" aria-label="Classes">
        @for (k of classes(); track k.value) {
          <div class="flex items-center gap-2">
            <input
              type="checkbox"
              [checked]="!k.off"
              [attr.aria-label]="'Show ' + k.title"
              (change)="show(k.value, $any($event.target).checked)"
            />
            @if (look().by === 'class') {
              <input
                type="color"
                class="!w-[24px] !h-5 !p-0 flex-none"
                [value]="k.colour"
                [attr.aria-label]="'Colour of ' + k.title"
                (change)="colour(k.value, $any($event.target).value)"
              />
            }
            <span class="flex-1 truncate">{{ k.title }}</span><span class="num text-ink-2">{{ k.count }}</span>
          </div>
        }
      </div>
    }
    <helk-slider-row
      label="Point size"
      [range]="[0.5, 4, 0.25]"
      [value]="look().size"
      [text]="look().size.toFixed(2)"
      (moved)="put({ size: $event })"
    />
    <helk-slider-row
      label="Opacity"
      [range]="[0.1, 1, 0.05]"
      [value]="look().opacity"
      [text]="(look().opacity * 100).toFixed(0) + ' %'"
      (moved)="put({ opacity: $event })"
    />
  `,
})
export class CloudEditor {
  readonly of = input.required<EditorOf<CloudStyle>>();
  private readonly project = inject(ProjectStore);
  private readonly info = computed(() => this.of().item.info as CloudInfo);
  protected readonly look = computed(() => this.of().look);
  protected readonly range = computed(() => cloudRange(this.look(), this.info()));
  /** What can be seen in colours: the usual ones, then every other attribute. */
  protected readonly ways = computed((): { key: string; by: CloudBy; attribute?: string; title: string }[] => {
    const all = this.info().attributes.map((a) => a.name);
    return [
      { key: 'height', by: 'height', title: 'height' },
      ...(all.includes('classification') ? [{ key: 'class', by: 'class' as const, title: 'class' }] : []),
      ...(all.includes('red') ? [{ key: 'colours', by: 'colours' as const, title: 'its own colours' }] : []),
      { key: 'one', by: 'one', title: 'one colour' },
      ...all
        .filter((n) => !/^(red|green|blue|classification)$/.test(n))
        .map((n) => ({ key: `attribute ${n}`, by: 'attribute' as const, attribute: n, title: attributeTitle(n) })),
    ];
  });
  protected readonly way = computed(() => {
    const { by, attribute } = this.look();
    return by === 'attribute' ? `attribute ${attribute}` : by;
  });
  protected readonly classes = computed(() =>
    this.info().classes.map((k) => ({
      value: k.value,
      title: className(k.value),
      colour: classColour(this.look(), k.value),
      count: formatNumber(k.count),
      off: this.look().hidden.includes(k.value),
    })),
  );

  protected put(patch: Partial<CloudStyle>): void {
    this.of().put(patch);
  }

  protected take(key: string): void {
    const w = this.ways().find((o) => o.key === key);
    if (!w) return;
    // Limits of one attribute mean nothing for another.
    const stretch = this.look().stretch.kind === 'own' ? { stretch: { kind: 'middle' as const } } : {};
    this.put({ by: w.by, ...(w.attribute ? { attribute: w.attribute } : {}), ...stretch });
  }

  protected stretch(kind: string): void {
    const [low, high] = this.range() ?? [0, 1];
    this.put({ stretch: kind === 'own' ? { kind, low, high } : { kind: kind === 'minmax' ? 'minmax' : 'middle' } });
  }

  protected limit(k: 0 | 1, text: string): void {
    const v = Number(text);
    if (text === '' || !Number.isFinite(v)) return;
    const now = [...(this.range() ?? [0, 1])] as [number, number];
    now[k] = v;
    if (now[1] > now[0]) this.put({ stretch: { kind: 'own', low: now[0], high: now[1] } });
    else this.project.notify('The highest value must exceed the lowest.', 'refused');
  }

  protected show(value: number, on: boolean): void {
    const { hidden } = this.look();
    this.put({ hidden: on ? hidden.filter((h) => h !== value) : [...hidden, value] });
  }

  protected colour(value: number, hex: string): void {
    this.put({ classes: { ...this.look().classes, [String(value)]: hex } });
  }
}
