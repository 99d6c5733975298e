import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { formatNumber, ofKind, plural, symbolsOf, type VectorStyle } from '@helk/core';
import { dateOf, dayOf, weekdayOf } from '@helk/core/data/gtfs-spec';
import { clockWords, dayWords } from '@helk/core/data/moment';
import { usualDay } from '@helk/core/data/timetable-facts';
import type { ServiceDay } from '@helk/core/glance/timetable-day';
import { sentence } from '../api/api';
import { FeatureData } from '../state/feature-data';
import { Glances } from '../state/glances';
import { Looks } from '../state/looks';
import { Picks } from '../state/picks';
import { ProjectStore, type DatasetItem } from '../state/project.store';

/** Hours that are shown: a day of service goes on after midnight. */
const SHOWN = [4, 26] as const;

/** What a timetable offers on a day: its calendar as a strip to choose from, and each line with its trips by the hour. */
@Component({
  selector: 'helk-service-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'flex flex-col flex-1 min-w-0 min-h-0', 'data-testid': 'service' },
  template: `
    <div class="flex items-center gap-3 px-3.5 pt-1 text-[12.5px] flex-none overflow-hidden">
      <label class="flex items-center gap-1.5"
        >on
        <input
          type="date"
          class="num !min-h-[26px]"
          [value]="day()"
          [min]="info()?.first ?? ''"
          [max]="info()?.last ?? ''"
          (change)="choose($any($event.target).value)"
          aria-label="Day"
          data-testid="service-day"
      /></label>
      <span class="flex items-end h-[26px] flex-none" role="group" aria-label="Trips of each day; choose one">
        @for (d of days(); track d.day) {
          <button
            class="block w-[5px] h-[26px] relative hover:bg-act-soft"
            [class.ml-[3px]]="d.monday"
            (click)="choose(d.day)"
            [title]="d.words"
            [attr.aria-label]="d.words"
            [attr.aria-pressed]="d.day === day()"
          >
            <span
              class="absolute bottom-0 left-px right-px rounded-t-[1px]"
              [style.height.px]="d.height"
              [style.background]="d.day === day() ? 'var(--pick)' : 'var(--ink-3)'"
            ></span>
          </button>
        }
      </span>
    </div>
    <p class="px-3.5 pb-0.5 text-[12.5px] text-ink-2 flex-none truncate" data-testid="service-told">{{ told() }}</p>
    <div class="flex-1 min-h-0 overflow-auto">
      <table class="w-full text-[12.5px]">
        <thead class="text-ink-2 text-[11.5px]">
          <tr class="h-[22px]">
            <th class="text-left font-[450] pl-3.5" colspan="2">Line</th>
            <th class="text-right font-[450] pr-3">Trips</th>
            <th class="text-right font-[450] pr-3">First</th>
            <th class="text-right font-[450] pr-3">Last</th>
            <th class="font-[450] pr-3.5">
              <span class="flex num text-[11px]">
                @for (h of hours; track h) {
                  <span class="flex-1 text-left">{{ h % 2 === 0 ? h % 24 : '' }}</span>
                }
              </span>
            </th>
          </tr>
        </thead>
        <tbody>
          @for (l of lines(); track l.line) {
            <tr class="border-t border-line-soft h-[30px]" [class.lit-row]="l.line === at()">
              <td class="pl-3.5 w-[1%]">
                <button
                  class="flex items-center gap-2 font-[600] whitespace-nowrap"
                  (click)="pick(l.line)"
                  title="Pick its stretches on the map"
                >
                  <span class="w-3 h-3 rounded-full flex-none" [style.background]="l.colour"></span>{{ l.line }}
                </button>
              </td>
              <td class="text-ink-2 max-w-[220px] truncate px-2" [title]="l.name">{{ l.name || l.by }}</td>
              <td class="num text-right pr-3">{{ l.trips }}</td>
              <td class="num text-right pr-3">{{ clock(l.first) }}</td>
              <td class="num text-right pr-3">{{ clock(l.last) }}</td>
              <td class="pr-3.5 w-[46%] min-w-[240px]">
                <span class="flex items-end h-[22px]" role="img" [attr.aria-label]="l.spoken">
                  @for (v of l.bars; track $index) {
                    <span
                      class="flex-1 mx-px rounded-t-[1px]"
                      [style.height.px]="v.height"
                      [style.background]="l.colour"
                      [title]="v.words"
                    ></span>
                  }
                </span>
              </td>
            </tr>
          } @empty {
            <tr>
              <td class="px-3.5 py-3 text-ink-2" colspan="6">{{ empty() }}</td>
            </tr>
          }
        </tbody>
      </table>
    </div>
  `,
})
export class ServicePanel {
  readonly item = input.required<DatasetItem>();
  private readonly glances = inject(Glances);
  private readonly project = inject(ProjectStore);
  private readonly picks = inject(Picks);
  private readonly data = inject(FeatureData);
  private readonly looks = inject(Looks);
  private readonly chosen = signal<{ dataset: string; day: string } | null>(null);
  private readonly service = signal<{ day: string; of: ServiceDay } | null>(null);
  protected readonly at = signal<string | null>(null);
  protected readonly info = computed(() => ofKind('timetable', this.item().info));
  protected readonly hours = Array.from({ length: SHOWN[1] - SHOWN[0] }, (_, k) => SHOWN[0] + k);
  protected readonly clock = (s: number): string => clockWords(s % 86_400);

  protected readonly day = computed(() => {
    const own = this.chosen();
    const info = this.info();
    if (own?.dataset === this.item().id) return own.day;
    return info?.first ? (usualDay(info.first, info.perDay, dayOf) ?? info.first) : '';
  });

  /** Some sixteen weeks about the chosen day. */
  protected readonly days = computed(() => {
    const info = this.info();
    if (!info?.first) return [];
    const [first, at] = [dayOf(info.first), dayOf(this.day())];
    const from = Math.max(0, Math.min(at - first - 28, info.perDay.length - 84));
    const most = info.perDay.reduce((a, b) => Math.max(a, b), 1);
    return info.perDay.slice(from, from + 84).map((trips, k) => {
      const day = first + from + k;
      return {
        day: dateOf(day),
        monday: weekdayOf(day) === 0,
        height: trips ? Math.max(2, (24 * trips) / most) : 0,
        words: `${dayWords(day)}: ${trips ? plural(trips, 'trip') : 'nothing runs'}`,
      };
    });
  });

  protected readonly lines = computed(() => {
    const s = this.service();
    const lines = s?.day === this.day() ? s.of.lines : [];
    const look = this.looks.of<VectorStyle>(this.item());
    // In the colours of the key, where lines are told apart by them.
    const f = this.data.features(this.item().id);
    const key = f && look.by.kind === 'category' && look.by.column === 'line' ? symbolsOf(look, f).legend : [];
    const colours = new Map(key.map((e) => [e.key, e.colour]));
    const most = lines.reduce((m, l) => Math.max(m, ...l.hours), 1);
    return lines.map((l) => ({
      ...l,
      colour: colours.get(l.line) ?? look.colour,
      bars: this.hours.map((h) => ({
        height: l.hours[h] ? Math.max(2, (20 * l.hours[h]) / most) : 0,
        words: `${h % 24}:00 to ${(h + 1) % 24}:00: ${plural(l.hours[h] ?? 0, 'trip')}`,
      })),
      spoken: `${l.line}: ${plural(l.trips, 'trip')} from ${this.clock(l.first)} to ${this.clock(l.last)}`,
    }));
  });
  protected readonly told = computed(() => {
    const s = this.service();
    if (s?.day !== this.day()) return this.day() ? 'looking …' : '';
    const trips = s.of.lines.reduce((n, l) => n + l.trips, 0);
    const busy = s.of.stops[0];
    return `${dayWords(dayOf(s.day))}: ${plural(trips, 'trip')} on ${plural(s.of.lines.length, 'line')}${s.of.idle ? `, ${formatNumber(s.of.idle)} not running` : ''}${busy ? `; most at ${busy.name} (${formatNumber(busy.calls)})` : ''}`;
  });
  protected readonly empty = computed(() => {
    if (!this.info()?.first) return 'None of its services ever runs.';
    return this.service()?.day === this.day() ? 'Nothing runs on this day; choose another.' : '';
  });

  constructor() {
    effect(() => {
      const [id, day] = [this.item().id, this.day()];
      if (day) untracked(() => void this.look(id, day));
    });
  }

  private async look(timetable: string, day: string): Promise<void> {
    try {
      const of = await this.glances.ask<ServiceDay>('timetable.day', { timetable }, { day });
      if (this.item().id === timetable && this.day() === day) this.service.set({ day, of });
    } catch (e) {
      this.project.notify(sentence(e), 'refused');
    }
  }

  protected choose(day: string): void {
    if (dayOf(day) === dayOf(day)) this.chosen.set({ dataset: this.item().id, day });
  }

  /** Picks the stretches of a line; again, none. */
  protected pick(line: string): void {
    const next = this.at() === line ? null : line;
    this.at.set(next);
    const f = this.data.features(this.item().id);
    const c = f?.columns.find((o) => o.name === 'line');
    if (!c) return;
    this.picks.pick(
      this.item().id,
      Uint8Array.from(c.values as string[], (v) => Number(v === next)),
    );
  }
}
