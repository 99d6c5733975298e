import {
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  inject,
  input,
  signal,
  untracked,
} from '@angular/core';
import { formatLength, formatNumber, plural, systemOf, transformer } from '@helk/core';
import { readQuantities } from '@helk/core/method/params';
import type { Reached } from '@helk/core/glance/network-reached';
import { sentence } from '../api/api';
import { Cursor } from '../state/cursor';
import { Glances } from '../state/glances';
import { Outlines, type Outline } from '../state/outlines';
import { ProjectStore, type DatasetItem } from '../state/project.store';

/** How long settings have to stand before they are tried; a pointer is followed as fast as answers come. */
const AFTER = 250;
const OWNER = 'reached';
/** As far as is looked beyond the greatest limit, so that it can be dragged on. */
const BEYOND = 2;

/** Streets that would be reached, drawn while limits, places and settings change: before anything is run. */
@Component({
  selector: 'helk-reach-trial',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'block min-w-0 border-t border-line-soft pt-2', 'data-testid': 'reach-trial' },
  template: `
    <div class="flex items-baseline gap-1.5 text-[12.5px]">
      <b class="font-[600] flex-1">Reached, before it is run</b>
      <button class="link" (click)="follow()" [attr.aria-pressed]="following()" data-testid="follow">
        {{ following() ? 'Stop following' : 'From where I point' }}
      </button>
    </div>
    @if (failed(); as why) {
      <p class="text-[12px] text-look mt-0.5" role="status">{{ why }}</p>
    } @else {
      <label class="block mt-1">
        <input
          type="range"
          class="w-full"
          min="1"
          [max]="most() / 60"
          step="0.5"
          [value]="limit() / 60"
          (input)="dragged.set(+$any($event.target).value * 60)"
          aria-label="Within so many minutes"
          data-testid="reach-slider"
        />
        <span class="num text-[11.5px] text-ink-2 flex justify-between"
          ><span>within {{ number(limit() / 60) }} min</span><span data-testid="reach-told">{{ told() }}</span></span
        >
      </label>
    }
  `,
})
export class ReachTrial {
  readonly network = input.required<DatasetItem>();
  readonly facilities = input<DatasetItem | undefined>();
  readonly params = input.required<Record<string, unknown>>();
  /** Limits as they are typed. */
  readonly typed = input.required<string>();
  private readonly limits = computed(() => timesOf(this.typed()));
  private readonly glances = inject(Glances);
  private readonly outlines = inject(Outlines);
  private readonly project = inject(ProjectStore);
  private readonly cursor = inject(Cursor);
  private readonly answer = signal<Reached | null>(null);
  protected readonly failed = signal<string | null>(null);
  protected readonly following = signal(false);
  protected readonly dragged = signal<number | null>(null);
  private asking = false;
  private again = false;

  protected readonly number = (v: number): string => formatNumber(v, 10);
  private readonly greatest = computed(() => this.limits().at(-1) ?? 600);
  protected readonly most = computed(() => Math.min(86_400, BEYOND * this.greatest()));
  protected readonly limit = computed(() => Math.min(this.most(), this.dragged() ?? this.greatest()));
  private readonly lines = computed(() => linesOf(this.answer()));
  protected readonly told = computed(() => {
    const a = this.answer();
    if (!a) return '…';
    const metres = this.lines().reduce((s, l) => s + lengthOf(l), 0) * this.metres();
    return `${formatLength(metres)} of streets · from ${plural(a.placed, 'place')}`;
  });
  private readonly metres = computed(() => (systemOf(this.network().info)?.geographic ? 111_320 : 1));

  constructor() {
    // Settings: the last of them are tried once they stand.
    effect((done) => {
      this.network();
      this.facilities();
      this.params();
      this.following();
      const timer = setTimeout(() => void this.ask(), AFTER);
      done(() => clearTimeout(timer));
    });
    // The pointer and the slider: one question at a time, the next from where they are then.
    effect(() => {
      if (this.limit() && (!this.following() || this.cursor.at())) untracked(() => void this.ask());
    });
    effect(() => {
      const crs = this.project.crs();
      const go = transformer(systemOf(this.network().info) ?? crs, crs);
      const lines = this.lines().map((l): Outline => ({
        ring: l.map(([x, y]) => {
          const out = [x, y];
          go(x, y, out);
          return out;
        }),
        ink: '--act',
      }));
      untracked(() => this.outlines.put(OWNER, lines));
    });
    // Limits that were typed are where the slider stands again.
    effect(() => {
      this.limits();
      untracked(() => this.dragged.set(null));
    });
    inject(DestroyRef).onDestroy(() => this.outlines.put(OWNER, []));
  }

  protected follow(): void {
    this.following.set(!this.following());
  }

  private async ask(): Promise<void> {
    if (this.asking) {
      this.again = true;
      return;
    }
    this.asking = true;
    this.again = false;
    const facilities = this.facilities();
    const at = this.following() ? this.pointed() : null;
    try {
      if (!facilities && !at && !this.params()['added']) return;
      const answer = await this.glances.ask<Reached>(
        'network.reached',
        { network: this.network().id, ...(facilities ? { facilities: facilities.id } : {}) },
        { params: this.params(), most: this.limit(), ...(at ? { at, alone: true } : {}) },
      );
      this.answer.set(answer);
      this.failed.set(null);
    } catch (e) {
      // Where one points there may be no street: what was seen last stays.
      if (!at) this.failed.set(sentence(e));
    } finally {
      this.asking = false;
      if (this.again) void this.ask();
    }
  }

  /** Where the pointer is, in the network's system. */
  private pointed(): [number, number] | null {
    const at = this.cursor.at();
    if (!at) return null;
    const crs = this.project.crs();
    const out: [number, number] = [at.x, at.y];
    transformer(crs, systemOf(this.network().info) ?? crs)(at.x, at.y, out);
    return out.every(Number.isFinite) ? out : null;
  }
}

/** Times as they are typed, s, ascending; none while they cannot be read. */
function timesOf(typed: string): number[] {
  try {
    return readQuantities(typed, 'time', 'min').sort((a, b) => a - b);
  } catch {
    return [];
  }
}

/** The stretches of an answer, corner by corner. */
function linesOf(a: Reached | null): [number, number][][] {
  let at = 0;
  return (a?.corners ?? []).map((n) => {
    const line = Array.from({ length: n }, (_, i): [number, number] => [
      a!.xy[2 * (at + i)]!,
      a!.xy[2 * (at + i) + 1]!,
    ]);
    at += n;
    return line;
  });
}

const lengthOf = (line: readonly (readonly [number, number])[]): number =>
  line.reduce((s, [x, y], i) => (i ? s + Math.hypot(x - line[i - 1]![0], y - line[i - 1]![1]) : 0), 0);
