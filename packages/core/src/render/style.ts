import type { BandInfo, RasterInfo } from '../data/raster';
import { classBreaks, type BreakRule } from '../numeric/classes';
import { colouredClasses } from './categories';
import { usualComposite } from './composites';
import { rampOf } from './ramps';
import type { BandFacts } from '../data/band-facts';

export type Stretch =
  | { kind: 'minmax' }
  | { kind: 'percentile'; cut: 1 | 2 | 5 }
  | { kind: 'sd'; times: number }
  | { kind: 'own'; low: number; high: number };

/** Three bands as red, green and blue. */
export interface Composite {
  channels: [Channel, Channel, Channel];
  /** 1 leaves brightness as it is, above 1 lifts what is dark. */
  gamma: number;
}

export interface Channel {
  band: number;
  /** Which of its values become dark and which bright. */
  stretch: Stretch;
}

export interface RasterStyle {
  /** Three bands at once, in place of one in the colours of a ramp. */
  composite: Composite | null;
  /** Which of its bands is drawn, from 0. */
  band: number;
  ramp: string;
  reversed: boolean;
  stretch: Stretch;
  /** 0 for a continuous ramp, else 2 to 12 classes. */
  classes: number;
  rule: Exclude<BreakRule, 'own'>;
  opacity: number;
  /** Light on the surface; null for none. */
  relief: { azimuth: number; altitude: number; strength: number; zFactor: number } | null;
  showMissing: boolean;
}

export interface Scale {
  ramp: string;
  reversed: boolean;
  low: number;
  high: number;
  /** Inner class breaks, ascending; empty for a continuous ramp. */
  breaks: number[];
  /** Of categories: each value's colour, in place of a ramp. */
  classes?: { value: number; label: string; colour: string }[];
}

const RELIEF = { azimuth: 315, altitude: 45, strength: 0.55, zFactor: 1 };

/** How a band is drawn until somebody says otherwise: by its role, with diverging ramps around zero. */
export function defaultStyle(info: RasterInfo, band = 0): RasterStyle {
  const b = info.bands[band]!;
  const f = b.facts;
  const crossesZero = f ? f.summary.min < 0 && f.summary.max > 0 : false;
  const role = b.role ?? '';
  const base: RasterStyle = {
    composite: band === 0 ? usualComposite(info.bands) : null,
    band,
    ramp: 'cividis',
    reversed: false,
    stretch: { kind: 'minmax' },
    classes: 0,
    rule: 'equal',
    opacity: 1,
    relief: null,
    showMissing: true,
  };
  if (b.kind === 'category') return base;
  if (role === 'elevation' || (b.unit === 'm' && role === ''))
    return { ...base, stretch: wild(f) ? { kind: 'percentile', cut: 2 } : base.stretch, relief: RELIEF };
  if (role === 'slope') return { ...base, ramp: 'ember' };
  if (role === 'aspect') return { ...base, ramp: 'compass', stretch: { kind: 'own', low: 0, high: 360 } };
  if (role === 'hillshade') return { ...base, ramp: 'slate', stretch: { kind: 'own', low: 0, high: 255 } };
  if (role === 'depth') return { ...base, ramp: 'tide', stretch: { kind: 'percentile', cut: 1 } };
  if (role === 'difference' && crossesZero) return { ...base, ramp: 'scales', stretch: { kind: 'percentile', cut: 1 } };
  return { ...base, ramp: 'viridis', stretch: wild(f) ? { kind: 'percentile', cut: 2 } : base.stretch };
}

/** A few extremes would flatten the picture: the middle 96 % take up less than half of the range. */
function wild(f: BandFacts | undefined): boolean {
  if (!f) return false;
  const range = f.summary.max - f.summary.min;
  return range > 0 && (f.percentiles['98']! - f.percentiles['2']!) / range < 0.5;
}

/** The values between which a stretch reaches. */
export function limitsOf(t: Stretch, f: Pick<BandFacts, 'summary' | 'percentiles'>): [number, number] {
  const { summary: s, percentiles: p } = f;
  const range: [number, number] =
    t.kind === 'minmax'
      ? [s.min, s.max]
      : t.kind === 'percentile'
        ? [p[String(t.cut)]!, p[String(100 - t.cut)]!]
        : t.kind === 'sd'
          ? [Math.max(s.min, s.mean - t.times * s.sd), Math.min(s.max, s.mean + t.times * s.sd)]
          : [t.low, t.high];
  return t.kind === 'percentile' && !(range[1] > range[0]) ? [s.min, s.max] : range;
}

/** Values between which a stretch reaches that goes by some values only, as those in view. Null of fewer than two different ones. */
export function limitsIn(t: Stretch, values: Float32Array): [number, number] | null {
  const sorted = values.filter((v) => v - v === 0).sort();
  const n = sorted.length;
  if (n === 0) return null;
  let mean = 0;
  let squares = 0;
  sorted.forEach((v, i) => {
    const d = v - mean;
    mean += d / (i + 1);
    squares += d * (v - mean);
  });
  const at = (share: number): number => sorted[Math.round(share * (n - 1))]!;
  const [low, high] = limitsOf(t, {
    summary: {
      min: sorted[0]!,
      max: sorted[n - 1]!,
      mean,
      sd: Math.sqrt(squares / n),
      count: n,
      missing: 0,
      sum: mean * n,
    },
    percentiles: t.kind === 'percentile' ? { [t.cut]: at(t.cut / 100), [100 - t.cut]: at(1 - t.cut / 100) } : {},
  });
  return high > low ? [low, high] : null;
}

/** Lowest and highest value of the ramp; diverging ramps lie symmetric around zero. */
export function rangeOf(style: RasterStyle, f: BandFacts): [number, number] {
  const t = style.stretch;
  let range = limitsOf(t, f);
  if (rampOf(style.ramp).kind === 'diverging' && t.kind !== 'own') {
    const m = Math.max(Math.abs(range[0]), Math.abs(range[1]));
    range = [-m, m];
  }
  return range[1] > range[0] ? range : [range[0] - 0.5, range[0] + 0.5];
}

/** Inner breaks for a number of classes between low and high; all but equal steps by the band's histogram. */
export function breaksOf(style: RasterStyle, f: BandFacts, low: number, high: number): number[] {
  const n = style.classes;
  if (n < 2) return [];
  if (style.rule === 'equal') return Array.from({ length: n - 1 }, (_, k) => low + ((k + 1) * (high - low)) / n);
  if (style.rule === 'sd') {
    const { mean, sd } = f.summary;
    const out: number[] = [];
    for (let k = -(n - 2) / 2; k <= (n - 2) / 2; k++) out.push(mean + k * sd);
    return out.filter((b) => b > low && b < high);
  }
  return classBreaks(Float64Array.from(histogramValues(f, low, high)), n, style.rule);
}

/** Up to 2 000 values spread as the histogram is, ascending. */
function histogramValues(f: BandFacts, low: number, high: number): number[] {
  // Until the detail has been fetched, the percentiles have to do.
  const { counts, min, max } = f.histogram ?? { counts: [1], min: f.summary.min, max: f.summary.max };
  const total = counts.reduce((a, b) => a + b, 0);
  const step = (max - min) / counts.length;
  const out: number[] = [];
  counts.forEach((c, i) => {
    const n = Math.ceil((c / total) * 2000);
    for (let k = 0; k < n; k++) {
      const v = min + step * (i + (k + 0.5) / n);
      if (v >= low && v <= high) out.push(v);
    }
  });
  return out;
}

export function scaleOf(style: RasterStyle, f: BandFacts, band?: Pick<BandInfo, 'kind' | 'classes'>): Scale {
  if (band?.kind === 'category') {
    const classes = colouredClasses(
      band.classes,
      f.values?.map((v) => v.value),
    );
    if (classes.length && classes.length <= 256)
      return { ramp: style.ramp, reversed: false, low: f.summary.min, high: f.summary.max, breaks: [], classes };
  }
  const [low, high] = rangeOf(style, f);
  return { ramp: style.ramp, reversed: style.reversed, low, high, breaks: breaksOf(style, f, low, high) };
}

/** One scale for several drawn bands: the ramp of the first, from the lowest low to the highest high. */
export function sharedScale(scales: Scale[]): Scale {
  const first = scales[0]!;
  const low = Math.min(...scales.map((s) => s.low));
  const high = Math.max(...scales.map((s) => s.high));
  const n = first.breaks.length;
  return { ...first, low, high, breaks: Array.from({ length: n }, (_, k) => low + ((k + 1) * (high - low)) / (n + 1)) };
}
