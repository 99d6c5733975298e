import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { formatNumber, RAMPS, type RasterStyle, type Stretch } from '@helk/core';
import { SliderRow } from '../parts/slider-row';
import { BenchStore, type Layer } from '../state/bench.store';
import { ProjectStore } from '../state/project.store';
import { ClassEditor } from './class-editor';
import { rampCss } from './key';
import { VectorEditor } from './vector-editor';

/** How one layer of a pane is drawn: ramp, stretch, classes, light, opacity. Changes are drawn at once. */
@Component({
  selector: 'helk-style-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [SliderRow, ClassEditor, VectorEditor],
  template: `
    <div
      class="popover w-[312px] p-3 text-[13px] grid gap-2.5"
      role="dialog"
      aria-label="Drawing"
      data-testid="style-editor"
    >
      @if (layer().raster; as s) {
        @if (scale()?.classes) {
          <helk-class-editor [dataset]="layer().dataset" [info]="$any(info())" />
        } @else {
          <div class="grid gap-1" role="radiogroup" aria-label="Colour ramp">
            @for (r of ramps; track r.id) {
              <button
                class="flex items-center gap-2 h-[26px] px-1.5 rounded"
                [class.bg-act-soft]="s.ramp === r.id"
                role="radio"
                [attr.aria-checked]="s.ramp === r.id"
                (click)="put({ ramp: r.id })"
              >
                <span class="h-3 w-28 rounded-[2px]" [style.background]="css(r.id, s.reversed)"></span
                ><span>{{ r.title }}</span>
              </button>
            }
          </div>
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
              <option value="minmax">lowest to highest</option>
              <option value="p1">1 to 99 %</option>
              <option value="p2">2 to 98 %</option>
              <option value="p5">5 to 95 %</option>
              <option value="sd1">mean ± 1 s.d.</option>
              <option value="sd2">mean ± 2 s.d.</option>
              <option value="own">own limits</option>
            </select>
          </label>
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
          <div class="border-t border-line-soft pt-2.5 grid gap-1.5">
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
      @if (layer().vector) {
        <helk-vector-editor [pane]="pane()" [layer]="layer()" />
      }
    </div>
  `,
})
export class StyleEditor {
  readonly pane = input.required<number>();
  readonly layer = input.required<Layer>();
  protected readonly bench = inject(BenchStore);
  private readonly project = inject(ProjectStore);
  protected readonly info = computed(() => this.project.datasetEntityMap()[this.layer().dataset]?.info);
  protected readonly ramps = RAMPS;
  protected readonly counts = Array.from({ length: 11 }, (_, i) => i + 2);
  protected readonly css = (ramp: string, reversed: boolean): string => rampCss({ ramp, reversed, breaks: [] });
  protected readonly percent = (v: number): string => `${Math.round(v * 100)} %`;
  protected readonly scale = computed(() => this.bench.scales().get(`${this.pane()}/${this.layer().dataset}`));
  protected readonly breaks = computed(() => {
    const s = this.scale();
    return s ? s.breaks.map((b) => formatNumber(b, s.high - s.low)) : [];
  });
  protected readonly stretchKey = computed(() => {
    const s = this.layer().raster!.stretch;
    return s.kind === 'percentile' ? `p${s.cut}` : s.kind === 'sd' ? `sd${s.times}` : s.kind;
  });

  protected put(patch: Partial<RasterStyle>): void {
    this.bench.restyle(this.pane(), this.layer().dataset, patch);
  }

  protected stretch(key: string): void {
    const s = this.scale();
    const kinds: Record<string, Stretch> = {
      minmax: { kind: 'minmax' },
      p1: { kind: 'percentile', cut: 1 },
      p2: { kind: 'percentile', cut: 2 },
      p5: { kind: 'percentile', cut: 5 },
      sd1: { kind: 'sd', times: 1 },
      sd2: { kind: 'sd', times: 2 },
      own: { kind: 'own', low: s?.low ?? 0, high: s?.high ?? 1 },
    };
    this.put({ stretch: kinds[key]! });
  }

  protected limit(end: 'low' | 'high', text: string): void {
    const s = this.layer().raster!.stretch;
    const v = Number(text);
    if (s.kind !== 'own' || !Number.isFinite(v)) return;
    const next = { ...s, [end]: v };
    if (next.high > next.low) this.put({ stretch: next });
    else this.project.notify('The highest limit must exceed the lowest.', 'refused');
  }

  protected toggleLight(): void {
    const s = this.layer().raster!;
    this.put({ relief: s.relief ? null : { azimuth: 315, altitude: 45, strength: 0.55, zFactor: 1 } });
  }

  protected light(patch: Partial<NonNullable<RasterStyle['relief']>>): void {
    const s = this.layer().raster!;
    if (s.relief) this.put({ relief: { ...s.relief, ...patch } });
  }
}
