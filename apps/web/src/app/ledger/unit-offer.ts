import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { kindOf, unitInName } from '@helk/core';
import { BenchStore } from '../state/bench.store';
import { Listing } from '../state/listing';
import type { DatasetItem } from '../state/project.store';
import { Telling } from '../state/telling';
import { titleOf } from '../state/threads';

interface Offer {
  /** Under which it is remembered that they were left. */
  key: string;
  unit: string;
  title: string;
  items: DatasetItem[];
}

/** Sources whose names end in a unit while none is written in them: the unit is offered, for all of a set at once. */
@Component({
  selector: 'helk-unit-offer',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @for (o of offers(); track o.key) {
      <div class="check check-look mx-3 mb-2" data-testid="unit-offer">
        @if (o.items.length > 1) {
          The names of {{ o.items.length }} files, <b class="font-[600]">{{ o.title }}</b>, end in “{{ o.unit }}”, but
          no unit is written in them.
        } @else {
          The name of <b class="font-[600]">{{ o.title }}</b> ends in “{{ o.unit }}”, but no unit is written in it.
        }
        <span class="flex gap-3 mt-1">
          <button class="link" (click)="give(o)">The values are in {{ o.unit }}</button>
          <button class="link !font-[450]" (click)="leave(o)">They are not</button>
        </span>
      </div>
    }
  `,
})
export class UnitOffer {
  private readonly listing = inject(Listing);
  private readonly bench = inject(BenchStore);
  private readonly telling = inject(Telling);

  protected readonly offers = computed((): Offer[] => {
    const left = this.bench.leftApart();
    return this.listing
      .threads()
      .flatMap((t) => t.rows)
      .filter((r) => r.source)
      .flatMap((r) => {
        const byUnit = new Map<string, DatasetItem[]>();
        for (const d of r.items) {
          const unit = kindOf(d.info).lacksUnit(d.info) ? unitInName(d.name) : null;
          if (unit) byUnit.set(unit, [...(byUnit.get(unit) ?? []), d]);
        }
        return [...byUnit].map(([unit, items]) => ({
          key: `${items[0]!.id} ${unit}`,
          unit,
          title: titleOf(items),
          items,
        }));
      })
      .filter((o) => !left.includes(o.key));
  });

  protected give(o: Offer): void {
    void this.telling.unit(o.items, o.unit);
  }

  protected leave(o: Offer): void {
    this.bench.set({ leftApart: [...this.bench.leftApart(), o.key] });
  }
}
