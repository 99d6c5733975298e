import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal } from '@angular/core';
import {
  classColour,
  className,
  formatNumber,
  GROUND,
  plural,
  transformer,
  type CloudInfo,
  type CloudStyle,
} from '@helk/core';
import { inOutline } from '@helk/core/methods/cloud/mark';
import { stripLength, type SidePoints, type Strip } from '@helk/core/render/cloud-section';
import { Looks } from '../state/looks';
import { Marks } from '../state/marks';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { Sections } from '../state/sections';
import type { SectionOutline } from './section-picture';

/** Classes that are offered whether points have them or not. */
const USUAL = [1, 2, 3, 4, 5, 6, 7, 9, 18];
/** Pixels between two corners of an outline that is drawn by hand. */
const APART = 3;

/** Whether two strips are one, but for how marks are written. */
const sameStrip = (a: Strip, b: Strip): boolean =>
  (['ax', 'ay', 'bx', 'by', 'width'] as const).every((k) => Math.abs(a[k] - b[k]) < 2e-3);

/** Marking points by hand where they are seen from the side: the class, what is marked so far, and keeping it as a new cloud. */
@Component({
  selector: 'helk-section-marks',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'contents' },
  template: `
    @if (on()) {
      <label class="flex items-center gap-1.5"
        >mark points as
        <span class="w-3 h-3 rounded-[2px]" [style.background]="colour(value())"></span>
        <select aria-label="Class that points are given" (change)="value.set(+$any($event.target).value)">
          @for (k of classes(); track k.value) {
            <option [value]="k.value" [selected]="k.value === value()">{{ k.name }}</option>
          }
        </select></label
      >
      <span class="text-ink-2" data-testid="marks-told">{{ told() }}</span>
      @if (marks().length) {
        <button class="link" (click)="undo()">Take the last back</button>
        <button class="btn btn-act" [disabled]="keeping()" (click)="keep()" data-testid="marks-keep">
          {{ keeping() ? 'Keeping …' : 'Keep as a new cloud' }}
        </button>
      }
      <button class="link" (click)="on.set(false)">Done</button>
    } @else {
      <button class="link" (click)="on.set(true)" data-testid="mark">
        {{ marks().length ? 'Go on marking (' + marks().length + ')' : 'Mark points' }}
      </button>
    }
  `,
})
export class SectionMarks {
  readonly item = input.required<DatasetItem>();
  readonly strip = input<Strip | null>(null);
  readonly parts = input<readonly SidePoints[]>([]);
  private readonly project = inject(ProjectStore);
  private readonly looks = inject(Looks);
  private readonly held = inject(Marks);
  private readonly sections = inject(Sections);
  readonly on = signal(false);
  protected readonly value = signal(GROUND);
  protected readonly keeping = signal(false);
  /** Corners of the outline that is being drawn. */
  private readonly ring = signal<readonly [number, number][]>([]);

  private readonly info = computed(() => this.item().info as CloudInfo);
  private readonly look = computed(() => this.looks.of<CloudStyle>(this.item()));
  protected readonly marks = computed(() => this.held.of(this.item().id));
  /** Classes that points may be given: those there are, and the usual ones. */
  protected readonly classes = computed(() =>
    [...new Set([...USUAL, ...this.info().classes.map((k) => k.value)])]
      .sort((a, b) => a - b)
      .map((value) => ({ value, name: className(value) })),
  );
  protected colour(value: number): string {
    return classColour(this.look(), value);
  }
  /** The strip in the cloud's own system, and how long a unit of the panes' is there. */
  private readonly own = computed((): { strip: Strip; factor: number } | null => {
    const s = this.strip();
    if (!s) return null;
    const crs = this.project.crs();
    const go = transformer(crs, this.info().crs ?? crs);
    const a: [number, number] = [0, 0];
    const b: [number, number] = [0, 0];
    go(s.ax, s.ay, a);
    go(s.bx, s.by, b);
    const strip = { ax: a[0], ay: a[1], bx: b[0], by: b[1], width: s.width };
    const factor = stripLength(strip) / (stripLength(s) || 1);
    return { strip: { ...strip, width: s.width * factor }, factor };
  });
  /** Marks that were made in this strip, as they lie in the picture. */
  private readonly here = computed(() => {
    const own = this.own();
    if (!own) return [];
    return this.marks()
      .filter(({ strip }) => sameStrip(strip, own.strip))
      .map((m) => ({ ...m, ring: m.ring.map(([along, z]): [number, number] => [along / own.factor, z]) }));
  });
  /** What is drawn over the picture. */
  readonly outlined = computed((): SectionOutline[] => [
    ...this.here().map((m) => ({ ring: m.ring, colour: this.colour(m.class) })),
    ...(this.ring().length > 1 ? [{ ring: this.ring(), colour: this.colour(this.value()) }] : []),
  ]);
  protected readonly told = computed(() => {
    const n = this.marks().length;
    if (!n) return 'Draw around them, with the pointer held down.';
    let points = 0;
    for (const { ring } of this.here())
      for (const p of this.parts())
        for (let i = 0; i < p.z.length; i++) if (inOutline(ring, p.along[i]!, p.z[i]!)) points++;
    const elsewhere = n - this.here().length;
    return `${plural(n, 'mark')}, ${formatNumber(points)} points here${elsewhere ? ` (${elsewhere} in other strips)` : ''}`;
  });

  constructor() {
    effect(() => void this.held.resume(this.item().id));
  }

  /** @returns whether an outline is begun there */
  begin(at: [along: number, height: number]): boolean {
    if (!this.on()) return false;
    this.ring.set([at]);
    return true;
  }

  /** @param x pixels to a unit along @param z to one of the heights @returns whether an outline is being drawn */
  go(at: [along: number, height: number], x: number, z: number): boolean {
    const last = this.ring().at(-1);
    if (!last) return false;
    if (Math.hypot((at[0] - last[0]) * x, (at[1] - last[1]) * z) >= APART) this.ring.update((r) => [...r, at]);
    return true;
  }

  drop(): void {
    this.ring.set([]);
  }

  /** What was drawn around becomes a mark; of classes that are not shown no point is meant. */
  end(): void {
    const ring = this.ring();
    this.drop();
    const own = this.own();
    if (!own || ring.length < 3) return;
    const { hidden } = this.look();
    const shown = this.info().classes.map((k) => k.value);
    const mark = {
      class: this.value(),
      of: hidden.length ? shown.filter((k) => !hidden.includes(k)) : [],
      strip: own.strip,
      ring: ring.map(([along, z]): [number, number] => [along * own.factor, z]),
    };
    this.held.put(this.item().id, [...this.marks(), mark]);
  }

  protected undo(): void {
    this.held.put(this.item().id, this.marks().slice(0, -1));
  }

  protected async keep(): Promise<void> {
    const strip = this.strip();
    this.keeping.set(true);
    const made = await this.held.keep(this.item().id);
    this.keeping.set(false);
    if (made && strip) this.sections.put(made, strip);
  }
}
