import { computed, inject, Injectable } from '@angular/core';
import { evaluateOver, rowsOf, rowsWhere } from '@helk/core/formula/over-features';
import {
  cellArea,
  displayUnit,
  featureArea,
  featureCount,
  formatArea,
  formatNumber,
  inBase,
  ofKind,
  parseQuantity,
  percentOf,
  type Previewed,
} from '@helk/core';
import { refOf } from '@helk/core/api/refs';
import { Preview } from '../draw/preview';
import { BenchStore } from '../state/bench.store';
import { FeatureData } from '../state/feature-data';
import { ProjectStore } from '../state/project.store';

/** A slider from the least to the greatest value that makes sense, by orders of magnitude. */
export interface Slider {
  low: string;
  high: string;
  from: number;
  span: number;
  /** 0 to 1000. */
  at: number;
  text: string;
}

/** A preview that follows one setting. */
type Following = Extract<Previewed, { param: string }>;

/** What the open run sheet says of a setting before anything is run: first values, how many it takes, how far a slider reaches. */
@Injectable({ providedIn: 'root' })
export class FirstValues {
  private readonly bench = inject(BenchStore);
  private readonly store = inject(ProjectStore);
  private readonly data = inject(FeatureData);
  private readonly preview = inject(Preview);

  private readonly spec = computed((): Following | null => {
    const sheet = this.bench.sheet();
    const spec = sheet && this.store.methodMap().get(sheet.method)?.preview;
    return spec && 'param' in spec ? spec : null;
  });
  private readonly rows = computed(() => {
    const ref = this.bench.sheet()?.inputs[this.spec()?.input ?? '']?.[0];
    return ref ? this.data.now(refOf(ref).dataset) : undefined;
  });

  /** The setting that a preview follows. */
  readonly follows = computed(() => this.spec()?.param ?? null);

  private setting(name: string): string {
    return String(this.bench.sheet()?.params[name] ?? '').trim();
  }

  private readonly words: Record<Following['kind'], (param: string) => string> = {
    rows: (param) => {
      const f = this.rows();
      const text = this.setting(param);
      if (!f || !text) return '';
      const yes = rowsWhere(f, text).reduce((s, v) => s + v, 0);
      return `holds for ${formatNumber(yes)} of ${formatNumber(rowsOf(f))}`;
    },
    values: (param) => {
      const f = this.rows();
      const text = this.setting(param);
      if (!f || !text) return '';
      const v = Array.from(evaluateOver(f, text).slice(0, 5) as ArrayLike<number | string | null>);
      const unit = displayUnit(this.setting('unit'));
      return `first values: ${v.map((x) => (x === null || x !== x ? '–' : typeof x === 'number' ? formatNumber(x) : x)).join(', ')}${unit ? ` ${unit}` : ''} …`;
    },
    formula: () => {
      const r = this.preview.result();
      if (!r) return '';
      const { min, max, mean, count, missing } = r.result;
      if (!count) return 'every cell missing so far';
      const range = max - min || Math.abs(max) || 1;
      const unit = displayUnit(this.setting('unit'));
      const v = (x: number): string => `${formatNumber(x, range)}${unit ? ` ${unit}` : ''}`;
      return `${v(min)} to ${v(max)}, mean ${v(mean)}${missing ? `, ${percentOf(missing / (count + missing), 2)} % missing` : ''}${r.step > 1 ? ` (every ${r.step}th cell)` : ''}`;
    },
    // What a smallest area would take, counted in the areas themselves.
    small: (param) => {
      const f = this.rows();
      const text = this.setting(param);
      if (!text || f?.kind !== 'features') return '';
      const least = inBase(parseQuantity(text, 'area'), 'm2');
      let taken = 0;
      let area = 0;
      let all = 0;
      for (let i = 0; i < featureCount(f); i++) {
        const a = featureArea(f, i);
        all += a;
        if (a < least) {
          taken++;
          area += a;
        }
      }
      return `${formatNumber(least)} m² = ${formatNumber(least / 1e4, 100)} ha: below it ${taken === 1 ? 'is' : 'are'} ${formatNumber(taken)} of ${formatNumber(featureCount(f))} areas, ${formatArea(area)} of ${formatArea(all)} (${percentOf(area / (all || 1))} %).`;
    },
    streams: () => '',
    contours: () => '',
  };

  /** The setting that the words are about, and the words; null where there is nothing to say. */
  readonly said = computed((): { param: string; text: string } | null => {
    const spec = this.spec();
    if (!spec) return null;
    try {
      const text = this.words[spec.kind](spec.param);
      return text ? { param: spec.param, text } : null;
    } catch {
      // What is half typed says nothing yet.
      return null;
    }
  });

  /** Of a stream threshold: from ten cells to the greatest area there is. */
  readonly slider = computed((): Slider | null => {
    const shown = this.preview.shown();
    const grid = ofKind('raster', this.store.datasetEntityMap()[shown?.dataset ?? '']?.info)?.grid;
    if (!shown || shown.what.kind !== 'streams' || !grid || !(shown.greatest > 0)) return null;
    const from = 10 * cellArea(grid, grid.rows >> 1);
    const span = Math.log(shown.greatest / from);
    const km2 = (v: number): string => `${Number((v / 1e6).toPrecision(2))} km²`;
    return {
      low: km2(from),
      high: km2(shown.greatest),
      from,
      span,
      at: Math.round((1000 * Math.log(shown.what.threshold / from)) / span),
      text: `${formatNumber(shown.lines.value.length)} links`,
    };
  });
}
