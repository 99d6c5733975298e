import {
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  inject,
  input,
  untracked,
} from '@angular/core';
import { formatNumber, ofKind, plural, systemOf, transformer } from '@helk/core';
import { Outlines } from '../state/outlines';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { Steps } from './steps';

const OWNER = 'faults';
/** Metres that are shown about a place. */
const AROUND = 60;

interface Fault {
  x: number;
  y: number;
  text: string;
}

/** Where a network may be wrong: ends that nearly join a street, nodes that cars cannot come to or leave; each is marked and to be gone to. */
@Component({
  selector: 'helk-faults-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'block flex-1 min-w-0 overflow-auto', 'data-testid': 'faults' },
  template: `
    <p class="px-3 py-1.5 text-[12.5px] text-ink-2">{{ told() }}</p>
    <table class="w-full text-[12.5px]">
      <tbody>
        @for (f of faults(); track $index) {
          <tr class="border-t border-line-soft">
            <td class="num px-3 h-[28px] w-[52px]">{{ $index + 1 }}</td>
            <td>{{ f.text }}</td>
            <td class="text-right pr-3">
              <button class="link" (click)="steps.goTo(item(), f.x, f.y, around)">Go there</button>
            </td>
          </tr>
        }
      </tbody>
    </table>
  `,
})
export class FaultsPanel {
  readonly item = input.required<DatasetItem>();
  protected readonly steps = inject(Steps);
  private readonly outlines = inject(Outlines);
  private readonly store = inject(ProjectStore);
  protected readonly around = AROUND;
  private readonly info = computed(() => ofKind('network', this.item().info));

  protected readonly faults = computed((): Fault[] => {
    const info = this.info();
    if (!info) return [];
    return [
      ...info.nearly.places.map(([x, y, gap]) => ({
        x: x!,
        y: y!,
        text: `A dead end ${formatNumber(gap!, 10)} m from a street that it does not join`,
      })),
      ...info.traps.places.map(([x, y]) => ({ x: x!, y: y!, text: 'A car cannot come here, or cannot leave' })),
    ];
  });
  protected readonly told = computed(() => {
    const info = this.info();
    if (!info) return '';
    const parts =
      info.components > 1 ? `${plural(info.components, 'part')} that do not hang together` : 'all hangs together';
    const listed = this.faults().length;
    const all = info.nearly.count + info.traps.count;
    return `${parts}; ${plural(info.deadEnds, 'dead end')}, ${info.nearly.count} of them within 10 m of a street; ${plural(info.traps.count, 'node')} without a way in or out by car${listed < all ? ` (the first ${listed} are listed)` : ''}.`;
  });

  constructor() {
    effect(() => {
      const crs = this.store.crs();
      const go = transformer(systemOf(this.item().info) ?? crs, crs);
      const ring = this.faults().map(({ x, y }) => {
        const out = [x, y];
        go(x, y, out);
        return out;
      });
      untracked(() => this.outlines.put(OWNER, ring.length ? [{ ring, ink: '--pick', dots: 5 }] : []));
    });
    inject(DestroyRef).onDestroy(() => this.outlines.put(OWNER, []));
  }
}
