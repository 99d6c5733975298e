import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import {
  compositeOf,
  compositesOf,
  defaultStyle,
  displayUnit,
  formatNumber,
  type RasterInfo,
  type RasterStyle,
} from '@helk/core';
import { drawnOf } from '../kinds/drawn';
import type { EditorOf } from '../kinds/kind';
import { RampList } from '../palette/ramp-list';
import { SliderRow } from '../parts/slider-row';
import { ProjectStore } from '../state/project.store';
import { ClassEditor } from './class-editor';
import { CompositeEditor } from './composite-editor';
import { STRETCHES, stretchKey, stretchOf } from './stretches';

/** How a raster is drawn: band, ramp, stretch, classes, light, opacity. Changes are drawn at once. */
@Component({
  selector: 'helk-raster-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [SliderRow, ClassEditor, CompositeEditor, RampList],
  host: { class: 'grid grid-cols-1 gap-2.5' },
  template: `
    @if (style(); as s) {
      @if (measures().length > 2) {
        <div class="flex gap-1" role="radiogroup" aria-label="Bands at once">
          @for (m of modes; track m.title) {
            <button
              class="flex-1 h-[28px] rounded border"
              [class]="!!s.composite === m.three ? 'border-act bg-act-soft font-[600]' : 'border-line'"
              role="radio"
              [attr.aria-checked]="!!s.composite === m.three"
              (click)="three(m.three)"
            >
              {{ m.title }}
            </button>
          }
        </div>
      }
      @if (s.composite) {
        <helk-composite-editor [of]="of()" />
      } @else {
        @if (bands().length > 1) {
          <label class="grid grid-cols-[92px_1fr] items-center gap-2">
            <span>Band</span>
            <select
              class="min-w-0"
              aria-label="Band"
              data-testid="drawn-band"
              (change)="drawBand(+$any($event.target).value)"
            >
              @for (b of bands(); track $index) {
                <option [value]="$index" [selected]="$index === s.band">{{ b }}</option>
              }
            </select>
          </label>
        }
        @if (scale()?.classes) {
          <helk-class-editor [dataset]="of().item.id" [info]="info()" [band]="s.band" />
        } @else {
          <helk-ramp-list [ramp]="s.ramp" [reversed]="s.reversed" (picked)="put({ ramp: $event })" />
          <label class="flex items-center gap-2"
            ><input
              type="checkbox"
              [checked]="s.reversed"
              (change)="put({ reversed: $any($event.target).checked })"
            />Reversed</label
          >
          <label class="grid grid-cols-[92px_1fr] items-center gap-2">
            <span>Stretch</span>
            <select [value]="stretchKey()" (change)="stretch($any($event.target).value)" aria-label="Stretch">
              @for (t of stretches; track t.key) {
                <option [value]="t.key" [selected]="t.key === stretchKey()">{{ t.title }}</option>
              }
              <option value="own">own limits</option>
            </select>
          </label>
          <button class="link w-fit pl-[100px]" (click)="of().stretch()" data-testid="stretch-view">
            by what is in view
          </button>
          @if (s.stretch.kind === 'own') {
            <div class="grid grid-cols-[92px_1fr_1fr] items-center gap-2">
              <span>From, to</span>
              <input
                class="num w-full"
                type="number"
                step="any"
                [value]="s.stretch.low"
                (change)="limit('low', $any($event.target).value)"
                aria-label="Lowest"
              />
              <input
                class="num w-full"
                type="number"
                step="any"
                [value]="s.stretch.high"
                (change)="limit('high', $any($event.target).value)"
                aria-label="Highest"
              />
            </div>
          }
          <div class="grid grid-cols-[92px_1fr_1fr] items-center gap-2">
            <span>Classes</span>
            <select
              [value]="s.classes"
              (change)="put({ classes: +$any($event.target).value })"
              aria-label="Number of classes"
            >
              <option value="0">none</option>
              @for (n of counts; track n) {
                <option [value]="n">{{ n }}</option>
              }
            </select>
            @if (s.classes > 0) {
              <select [value]="s.rule" (change)="put({ rule: $any($event.target).value })" aria-label="Break rule">
                <option value="equal">equal steps</option>
                <option value="quantile">equal counts</option>
                <option value="natural">natural breaks</option>
                <option value="geometric">geometric steps</option>
                <option value="sd">by s.d.</option>
              </select>
            }
          </div>
          @if (s.classes > 0 && breaks().length) {
            <div class="num text-ink-2 -mt-1.5">{{ breaks().join('  ') }}</div>
          }
          <div class="border-t border-line-soft pt-2.5 grid grid-cols-1 gap-1.5">
            <label class="flex items-center gap-2"
              ><input type="checkbox" [checked]="!!s.relief" (change)="toggleLight()" />Light on the surface</label
            >
            @if (s.relief; as r) {
              <helk-slider-row
                label="from"
                name="Light from"
                [range]="[0, 360, 1]"
                [value]="r.azimuth"
                [text]="r.azimuth + '°'"
                (moved)="light({ azimuth: $event })"
              />
              <helk-slider-row
                label="height"
                name="Light height"
                [range]="[5, 85, 1]"
                [value]="r.altitude"
                [text]="r.altitude + '°'"
                (moved)="light({ altitude: $event })"
              />
              <helk-slider-row
                label="strength"
                name="Light strength"
                [range]="[0.1, 1, 0.05]"
                [value]="r.strength"
                [text]="percent(r.strength)"
                (moved)="light({ strength: $event })"
              />
            }
          </div>
        }
      }
      <helk-slider-row
        label="Opacity"
        [range]="[0, 1, 0.05]"
        [value]="s.opacity"
        [text]="percent(s.opacity)"
        (moved)="put({ opacity: $event })"
      />
      <label class="flex items-center gap-2"
        ><input
          type="checkbox"
          [checked]="s.showMissing"
          (change)="put({ showMissing: $any($event.target).checked })"
        /><span class="hatch w-4 h-2.5 inline-block"></span>Mark missing cells</label
      >
    }
  `,
})
export class RasterEditor {
  readonly of = input.required<EditorOf<RasterStyle>>();
  private readonly project = inject(ProjectStore);
  protected readonly info = computed(() => this.of().item.info as RasterInfo);
  protected readonly style = computed(() => this.of().look);
  protected readonly scale = computed(() => this.of().scale);
  protected readonly bands = computed(() =>
    this.info().bands.map((b) => (b.unit ? `${b.name}, ${displayUnit(b.unit)}` : b.name)),
  );
  protected readonly counts = Array.from({ length: 11 }, (_, i) => i + 2);
  protected readonly percent = (v: number): string => `${Math.round(v * 100)} %`;
  protected readonly breaks = computed(() => {
    const s = this.scale();
    return s ? s.breaks.map((b) => formatNumber(b, s.high - s.low)) : [];
  });
  protected readonly stretchKey = computed(() => stretchKey(this.style().stretch));
  protected readonly stretches = STRETCHES;
  protected readonly modes = [
    { title: 'Three bands', three: true },
    { title: 'One band', three: false },
  ];
  protected readonly measures = computed(() => this.info().bands.flatMap((b, k) => (b.kind === 'measure' ? [k] : [])));

  /** Three bands at once, the usual ones where their roles are known; or one. */
  protected three(on: boolean): void {
    if (!on) this.put({ composite: null });
    else if (!this.style().composite) {
      const bands =
        compositesOf(this.info().bands)[0]?.bands ?? (this.measures().slice(0, 3) as [number, number, number]);
      this.put({ composite: compositeOf(bands) });
    }
  }

  protected put(patch: Partial<RasterStyle>): void {
    this.of().put(patch);
  }

  /** Another band: as this one is drawn where its values mean the same, else in a way that suits it. */
  protected drawBand(band: number): void {
    const [was, next] = [drawnOf(this.info(), this.style()).band, this.info().bands[band]!];
    const same = was.unit === next.unit && was.kind === next.kind && was.role === next.role;
    this.put(same ? { band } : { ...defaultStyle(this.info(), band), composite: null });
  }

  protected stretch(key: string): void {
    const s = this.scale();
    this.put({ stretch: stretchOf(key, [s?.low ?? 0, s?.high ?? 1]) });
  }

  protected limit(end: 'low' | 'high', text: string): void {
    const s = this.style().stretch;
    const v = Number(text);
    if (s.kind !== 'own' || !Number.isFinite(v)) return;
    const next = { ...s, [end]: v };
    if (next.high > next.low) this.put({ stretch: next });
    else this.project.notify('The highest limit must exceed the lowest.', 'refused');
  }

  protected toggleLight(): void {
    const s = this.style();
    this.put({ relief: s.relief ? null : { azimuth: 315, altitude: 45, strength: 0.55, zFactor: 1 } });
  }

  protected light(patch: Partial<NonNullable<RasterStyle['relief']>>): void {
    const s = this.style();
    if (s.relief) this.put({ relief: { ...s.relief, ...patch } });
  }
}
