import { breaksFor, formatNumber, sameCrs, type Features, type Symbols, type VectorStyle } from '@helk/core';
import type { StackInfo } from '@helk/core/data/stack-facts';
import { numberColumn } from '@helk/core/data/table';
import type { LayerDriver, LayerState, MadeOf, OnPaper } from '../kinds/kind';
import { CellsDrawn } from './cells-layer';
import type { PaperView } from './vector-items';
import { VectorDrawn } from './vectors';

/** Digits behind the point that tell breaks apart. */
function digitsOf(breaks: readonly number[], low: number, high: number): number {
  let least = high - low;
  for (let i = 1; i < breaks.length; i++)
    if (breaks[i]! > breaks[i - 1]!) least = Math.min(least, breaks[i]! - breaks[i - 1]!);
  return least > 0 ? Math.min(8, Math.max(0, Math.ceil(-Math.log10(least / 4) - 1e-9))) : 0;
}

/** Values of a variable over all steps, ascending; equal steps leave out the outermost at either end, which would flatten all others. */
export function spreadOf(info: StackInfo, column: string, rule?: string): Float64Array | null {
  const v = info.variables.find((o) => o.name === column);
  if (!v?.spread.length) return null;
  const all = Float64Array.from(v.spread);
  return rule === 'equal' ? all.subarray(2, 99) : all;
}

/** Classes by a variable lie alike at every step: their breaks come from all of them. */
export function overAllSteps(look: VectorStyle, info: StackInfo): VectorStyle {
  const { by } = look;
  if (by.kind !== 'classes' || by.rule === 'own') return look;
  const sorted = spreadOf(info, by.column, by.rule);
  if (!sorted) return look;
  const breaks = breaksFor(by, sorted);
  const digits = digitsOf(breaks, sorted[0]!, sorted[sorted.length - 1]!);
  const own = [...new Set(breaks.map((b) => Number(b.toFixed(digits))))];
  return { ...look, by: { ...by, rule: 'own', own } };
}

/** The key of classes that lie alike at every step: its ends are those of all steps. */
export function steadyLegend(s: Symbols, look: VectorStyle, info: StackInfo, window = 1): Symbols {
  const { by } = look;
  const v = by.kind === 'classes' ? info.variables.find((o) => o.name === by.column) : undefined;
  if (by.kind !== 'classes' || !v || v.min === null || v.max === null) return s;
  const { own } = by;
  const digits = digitsOf(own, v.min, v.max);
  const told = (x: number): string => formatNumber(Number(x.toFixed(digits)), digits ? 10 ** (2 - digits) : 1000);
  const ends = [v.min, ...own, v.max];
  // Whole numbers are told one by one; means of several steps are none.
  const whole = window === 1 && v.unit === '' && [...own, ...v.spread].every((x) => Number.isInteger(x));
  const words = (a: number, b: number, last: boolean): string => {
    if (a > b) return `from ${told(a)}`;
    if (!whole) return `${told(a)} to ${told(b)}`;
    const end = last ? b : b - 1;
    return a >= end ? told(a) : `${told(a)} to ${told(end)}`;
  };
  const counts = new Map(s.legend.map((e) => [e.key, e.count]));
  const legend = own.concat(NaN).map((_, i) => ({
    colour: s.colours[i]!,
    text: words(ends[i]!, ends[i + 1]!, i === own.length),
    count: counts.get(String(i)) ?? 0,
    key: String(i),
  }));
  const missing = s.legend.filter((e) => e.key === '');
  return { ...s, legend: [...legend, ...missing] };
}

/** A time stack in one map: its places, coloured by what they are at the moment of the pane. */
export class StackDrawn implements LayerDriver<VectorStyle> {
  private readonly inner: VectorDrawn | CellsDrawn;
  private places: Features | null = null;
  private asked = '';
  private state: LayerState<VectorStyle>;
  private shown: Promise<unknown>;
  private gone = false;
  /** The first values are drawn. */
  private filled = false;

  constructor(private readonly made: MadeOf<VectorStyle>) {
    this.state = made.first;
    const { grid } = this.info;
    const own = { ...made, first: this.plain(made.first) };
    const load = (): Promise<Features> => this.first();
    // Cells are painted as one picture where the map is in their own system.
    this.inner =
      grid?.crs && sameCrs(grid.crs, made.crs) ? new CellsDrawn(own, grid, load) : new VectorDrawn(own, load);
    this.shown = this.inner.ready.then(() => {
      this.filled = true;
      if (!this.gone) this.update(this.state);
    });
  }

  /** When what is seen at the moment has come. */
  get ready(): Promise<unknown> {
    return this.shown;
  }

  private get info(): StackInfo {
    return this.state.item.info as StackInfo;
  }

  private plain(state: LayerState<VectorStyle>): LayerState<VectorStyle> {
    return { ...state, look: overAllSteps(state.look, state.item.info as StackInfo) };
  }

  private async first(): Promise<Features> {
    const f = await this.made.tools.data.get(this.state.item.id);
    if (f.kind !== 'features') throw new Error('The places of the time stack could not be read.');
    this.places = f;
    // Time may move on while the first values are on their way.
    for (;;) {
      this.asked = this.wanted();
      const seen = await this.valued();
      if (this.wanted() === this.asked) return seen;
    }
  }

  /** What decides which values are seen. */
  private wanted(): string {
    const { by } = this.state.look;
    return JSON.stringify([this.state.time, by.kind === 'one' ? '' : by.column]);
  }

  /** The places with the variables they are coloured, sized or labelled by, at the moment. */
  private async valued(): Promise<Features> {
    const { look, item, time } = this.state;
    const { info } = this;
    const named = new Set<string>();
    if (look.by.kind !== 'one') named.add(look.by.column);
    if (look.size) named.add(look.size.column);
    const all = look.label ? info.variables : info.variables.filter((v) => named.has(v.name));
    const columns = await Promise.all(
      all.map(async (v) =>
        numberColumn(v.name, await this.made.tools.stacks.seen(item.id, info, info.variables.indexOf(v), time), v.unit),
      ),
    );
    return { ...this.places!, columns: [...columns, ...this.places!.columns] };
  }

  update(state: LayerState<VectorStyle>): void {
    this.state = state;
    const wanted = this.wanted();
    if (this.filled && this.places && wanted !== this.asked) {
      this.asked = wanted;
      // Of moments that follow each other faster than they come, the last is shown.
      this.shown = this.valued().then(
        (f) => {
          if (this.gone || this.asked !== wanted) return;
          this.inner.value(f);
          this.inner.update(this.plain(this.state));
        },
        (e: unknown) => this.made.failed(e),
      );
      return;
    }
    this.inner.update(this.plain(state));
  }

  symbols(): Symbols | null {
    const s = this.inner.symbols();
    return s && steadyLegend(s, this.plain(this.state).look, this.info, this.state.time?.window);
  }

  hit(pixel: number[]): number {
    return this.inner.hit(pixel);
  }

  items(view: PaperView): OnPaper | null {
    return 'items' in this.inner ? this.inner.items(view) : null;
  }

  dispose(): void {
    this.gone = true;
    this.inner.dispose();
  }
}
