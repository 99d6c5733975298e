import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { displayUnit, formatNumber, kindOf } from '@helk/core';
import { CrsField } from '../parts/crs-field';
import { ICONS } from '../parts/icons';
import { decided, elevationFactor, ReviewStore, type Waiting } from '../state/review.store';

/** Grids of foreign files before they are taken in: where they lie, how far their values go, and what to make of them. */
@Component({
  selector: 'helk-review',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgIcon, CrsField],
  viewProviders: [provideIcons(ICONS)],
  templateUrl: './review.html',
  host: { class: 'flex flex-col min-h-0 min-w-0 bg-paper', 'data-testid': 'review' },
})
export class Review {
  protected readonly store = inject(ReviewStore);
  protected readonly rows = computed(() =>
    this.store.waiting().map((w) => {
      const d = decided(w);
      const { min, max } = w.layer;
      const known = min !== null && max !== null && !d.wrong;
      const ends = known ? [min * d.factor + d.offset, max * d.factor + d.offset].sort((a, b) => a - b) : null;
      const same = d.factor === 1 && d.offset === 0;
      return {
        w,
        wrong: d.wrong,
        sides: this.sides(w),
        placed: kindOf(w.layer).placed,
        unit: ends ? displayUnit(w.unit.trim()) : '',
        low: ends ? this.number(ends[0]!) : '–',
        high: ends ? this.number(ends[1]!) : '–',
        before: known && !same ? `${this.number(min)} to ${this.number(max)} ${displayUnit(w.layer.unit)}` : '',
        suggestion: this.suggestion(w),
        // A new scale under the old unit is the easy slip.
        slip: !d.wrong && Math.abs(d.factor) !== 1 && w.unit.trim() === (w.layer.unit ?? ''),
      };
    }),
  );
  /** How many of what is chosen lie somewhere that nothing says. */
  protected readonly lacking = computed(
    () => this.store.chosen().filter((w) => kindOf(w.layer).placed && !w.layer.crs && !w.crs).length,
  );
  protected readonly scalable = computed(() => this.store.waiting().filter((w) => w.layer.scalable).length);
  protected readonly blocked = computed(
    () =>
      this.store.taking() ||
      this.store.sending().length > 0 ||
      this.store.chosen().length === 0 ||
      this.rows().some((r) => r.w.take && r.wrong),
  );

  protected number(v: number): string {
    return formatNumber(Number(v.toPrecision(4)), Math.abs(v));
  }

  private sides(w: Waiting): string[] {
    const e = w.layer.extent;
    if (!e) return ['–', '–', '–', '–'];
    // A tenth of a second of arc, or a metre, is enough to see whether it is the right place.
    const digits = w.layer.crs?.unit === '°' || (!w.layer.crs && Math.abs(e[0]!) <= 360) ? 4 : 0;
    return [e[0]!, e[2]!, e[1]!, e[3]!].map((v) =>
      v
        .toFixed(digits)
        .replace(/(\.\d*?)0+$/, '$1')
        .replace(/\.$/, ''),
    );
  }

  private suggestion(w: Waiting): { factor: number; text: string } | null {
    const factor = elevationFactor(w.layer);
    if (factor === null || decided(w).factor === factor) return null;
    return { factor, text: `Depths to elevations in m: factor ${formatNumber(factor)}` };
  }

  /** Gives all that lack one the same system. */
  protected giveAll(crs: string): void {
    for (const w of this.store.waiting()) if (kindOf(w.layer).placed && !w.layer.crs && !w.crs) this.put(w, { crs });
  }

  protected follow(factor: number): void {
    for (const w of this.store.waiting())
      if (elevationFactor(w.layer) === factor)
        this.store.put(w.review, w.layer.layer, { factor: String(factor), unit: 'm' });
  }

  protected put(w: Waiting, patch: Partial<Waiting>): void {
    this.store.put(w.review, w.layer.layer, patch);
  }
}
