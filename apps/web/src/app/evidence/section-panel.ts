import {
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  ElementRef,
  inject,
  input,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import {
  className,
  displayUnit,
  formatNumber,
  metresOfPlace,
  metresPerUnit,
  type CloudInfo,
  type CloudStyle,
  type Crs,
} from '@helk/core';
import { pointColours } from '@helk/core/render/cloud-paint';
import {
  sidePoints,
  stripLength,
  stripMeets,
  stripRing,
  type SidePoints,
  type Strip,
} from '@helk/core/render/cloud-section';
import { sentence } from '../api/api';
import { chunkBox } from '../draw/cloud-layer';
import { CloudParts } from '../draw/cloud-parts';
import { Sketch } from '../draw/sketch';
import { Cursor } from '../state/cursor';
import { Looks } from '../state/looks';
import { Outlines } from '../state/outlines';
import { extentIn, ProjectStore, type DatasetItem } from '../state/project.store';
import { Sections } from '../state/sections';
import { SectionMarks } from './section-marks';
import { BOTTOM, LEFT, paintSection, TOP } from './section-picture';

/** Points that are fetched for a section at most: a longer strip is made narrower. */
const MOST = 4_000_000;
/** Share of the points, at either end, that may lie far off without the picture being drawn as high as they are. */
const STRAYS = 0.002;
interface Shown extends SidePoints {
  key: number;
}

/**
 * A cloud seen from the side: the points of a strip by how far along it they lie and how high, in the colours they have in the map. The strip is
 * drawn in the map, and its place follows the pointer both ways.
 */
@Component({
  selector: 'helk-section-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [SectionMarks],
  host: { class: 'flex flex-col flex-1 min-h-0 min-w-0' },
  template: `
    <div class="flex items-center gap-3 px-3.5 py-1 text-[12.5px] flex-none flex-wrap">
      @if (!marker().on()) {
        <button class="link" (click)="draw()" data-testid="section-draw">Draw the line</button>
        <label class="flex items-center gap-1.5"
          >width
          <input
            class="num !w-[64px]"
            type="number"
            min="0"
            step="any"
            aria-label="Width of the strip, m"
            [value]="width()"
            (change)="widen($any($event.target).value)"
          />m</label
        >
        <label class="flex items-center gap-1.5"
          >heights
          <select aria-label="How many times heights are drawn" (change)="times.set(+$any($event.target).value)">
            <option value="0" [selected]="times() === 0">to fill</option>
            @for (t of [1, 2, 5, 10]; track t) {
              <option [value]="t" [selected]="times() === t">{{ t }} ×</option>
            }
          </select></label
        >
        <span class="text-ink-2" data-testid="section-told">{{ told() }}</span>
      }
      <span class="flex-1"></span>
      <helk-section-marks [item]="item()" [strip]="strip()" [parts]="parts()" />
      @if (under(); as u) {
        <span class="num">{{ u }}</span>
      }
    </div>
    <div #box class="relative flex-1 min-h-0">
      <canvas
        #canvas
        class="absolute inset-0 w-full h-full"
        role="img"
        [attr.aria-label]="'Points from the side. ' + told()"
        [class.cursor-crosshair]="marker().on()"
        [class.touch-none]="marker().on()"
        (pointerdown)="down($event)"
        (pointermove)="move($event)"
        (pointerup)="marker().end()"
        (pointercancel)="marker().drop()"
        (pointerleave)="leave()"
        data-testid="section"
      ></canvas>
    </div>
  `,
})
export class SectionPanel {
  readonly item = input.required<DatasetItem>();
  private readonly project = inject(ProjectStore);
  private readonly looks = inject(Looks);
  private readonly clouds = inject(CloudParts);
  private readonly sections = inject(Sections);
  private readonly outlines = inject(Outlines);
  private readonly sketch = inject(Sketch);
  private readonly cursor = inject(Cursor);
  private readonly box = viewChild.required<ElementRef<HTMLElement>>('box');
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('canvas');

  protected readonly times = signal(0);
  private readonly size = signal<[number, number]>([0, 0]);
  protected readonly parts = signal<readonly Shown[]>([]);
  private readonly loading = signal(false);
  protected readonly under = signal('');
  protected readonly marker = viewChild.required(SectionMarks);
  private asked = 0;

  private readonly info = computed(() => this.item().info as CloudInfo);
  private readonly look = computed(() => this.looks.of<CloudStyle>(this.item()));
  /** Metres in a unit of the panes' system; degrees have none. */
  private readonly metres = computed(() => {
    const crs = this.project.crs();
    return crs.geographic ? 111_320 : metresPerUnit(crs);
  });
  /** The strip that was drawn, or one across the middle. */
  protected readonly strip = computed((): Strip | null => {
    const own = this.sections.strips()[this.item().id];
    if (own) return own;
    const e = extentIn(this.info(), this.project.crs());
    if (!e) return null;
    const spacing = ((this.info().spacing ?? 1) * metresOfPlace(this.info().crs)) / this.metres();
    const y = (e[1] + e[3]) / 2;
    return { ax: e[0], ay: y, bx: e[2], by: y, width: Math.min((e[3] - e[1]) / 4, 12 * spacing) || spacing };
  });
  protected readonly width = computed(() => Number(((this.strip()?.width ?? 0) * this.metres()).toPrecision(2)));
  protected readonly told = computed(() => {
    const s = this.strip();
    if (!s) return '';
    const n = this.parts().reduce((sum, p) => sum + p.z.length, 0);
    const [dx, dy] = [s.bx - s.ax, s.by - s.ay];
    const sides = ['east', 'north-east', 'north', 'north-west', 'west', 'south-west', 'south', 'south-east'];
    const k = (Math.round(Math.atan2(dy, dx) / (Math.PI / 4)) + 8) % 8;
    const length = formatNumber(stripLength(s) * this.metres(), 10);
    const { beyond } = this.range();
    if (this.loading() && !n) return 'fetching points …';
    return `${formatNumber(n)} points, ${length} m from ${sides[(k + 4) % 8]} to ${sides[k]}${this.times() ? '' : `; heights ${formatNumber(this.drawnTimes(), 10)} ×`}${beyond ? `; ${beyond} far above or below` : ''}`;
  });
  /** Between which heights the strip is drawn: those of all its points, but for single ones far off, which are counted. */
  private readonly range = computed((): { low: number; high: number; beyond: number } => {
    const all = Float32Array.from(this.parts().flatMap(({ z }) => [...z])).sort();
    const n = all.length;
    if (!n) return { low: 0, high: 1, beyond: 0 };
    const spare = Math.floor(n * STRAYS);
    const [a, b] = [all[spare]!, all[n - 1 - spare]!];
    const reach = 0.5 * (b - a);
    const low = all[0]! < a - reach ? a : all[0]!;
    const high = all[n - 1]! > b + reach ? b : all[n - 1]!;
    let beyond = 0;
    for (const z of all) if (z < low || z > high) beyond++;
    return { low, high, beyond };
  });
  /** Pixels to a unit along, and to one of the heights. */
  private readonly scales = computed(() => {
    const [w, h] = this.size();
    const length = this.strip() ? stripLength(this.strip()!) : 1;
    const { low, high } = this.range();
    let x = Math.max(1, w - LEFT - 12) / length;
    const rise = metresOfPlace(null) / this.metres();
    let z = Math.max(1, h - TOP - BOTTOM) / Math.max(1e-9, high - low);
    const times = this.times();
    if (times) {
      // A unit of height is so many times as long as one along, whichever of both has to be smaller.
      const wanted = x * rise * times;
      if (wanted <= z) z = wanted;
      else x = z / (rise * times);
    }
    return { x, z, low, rise };
  });
  protected readonly drawnTimes = computed(() => {
    const { x, z, rise } = this.scales();
    return z / (x * rise);
  });

  constructor() {
    effect((done) => {
      const watch = new ResizeObserver(([e]) => this.size.set([e!.contentRect.width, e!.contentRect.height]));
      watch.observe(this.box().nativeElement);
      done(() => watch.disconnect());
    });
    effect(() => {
      const s = this.strip();
      untracked(() => this.outlines.put('section', s ? [{ ring: stripRing(s), ink: '--pick' }] : []));
    });
    effect(() => {
      const [item, look, strip, crs] = [this.item(), this.look(), this.strip(), this.project.crs()];
      untracked(() => void this.fetch(item, look, strip, crs));
    });
    effect(() => this.paint());
    inject(DestroyRef).onDestroy(() => this.outlines.put('section', []));
  }

  protected draw(): void {
    const id = this.item().id;
    this.sketch.pick('line', (line) => {
      const [a, b] = [line[0], line.at(-1)];
      if (!a || !b || (a[0] === b[0] && a[1] === b[1])) return;
      this.sections.put(id, { ax: a[0]!, ay: a[1]!, bx: b[0]!, by: b[1]!, width: this.strip()?.width ?? 1 });
    });
  }

  protected widen(text: string): void {
    const metres = Number(text);
    const s = this.strip();
    if (!s || text === '' || !(metres > 0)) {
      this.project.notify('The width of a strip is a length above 0.', 'refused');
      return;
    }
    this.sections.put(this.item().id, { ...s, width: metres / this.metres() });
  }

  /** The points of the strip, all levels of them. */
  private async fetch(item: DatasetItem, look: CloudStyle, strip: Strip | null, crs: Crs): Promise<void> {
    const turn = ++this.asked;
    const info = item.info as CloudInfo;
    if (!strip) return;
    this.loading.set(true);
    try {
      const project = this.project.project()?.id ?? '';
      const list = await this.clouds.list(project, item.id, info);
      const found: Shown[] = [];
      let points = 0;
      for (const [key, chunk] of list.chunks.entries()) {
        if (!stripMeets(strip, chunkBox(chunk, info, crs))) continue;
        points += chunk.count;
        if (points > MOST) break;
        const part = await this.clouds.part(project, item.id, info, list, key, crs, look);
        if (turn !== this.asked) return;
        found.push({ key, ...sidePoints(part.places, pointColours(look, info, part.places.z, part.values), strip) });
      }
      this.parts.set(found);
    } catch (e) {
      this.project.notify(sentence(e), 'refused');
    } finally {
      if (turn === this.asked) this.loading.set(false);
    }
  }

  private paint(): void {
    const [width, height] = this.size();
    const { x, z, low } = this.scales();
    const [parts, metres, outlines] = [this.parts(), this.metres(), this.marker().outlined()];
    if (width < 2 || height < 2) return;
    const unit = displayUnit(this.info().heightUnit);
    paintSection(this.canvas().nativeElement, { width, height, parts, x, z, low, metres, unit, outlines });
  }

  /** How far along and how high the pointer is. */
  private place(e: PointerEvent): [along: number, height: number] {
    const { x, z, low } = this.scales();
    return [(e.offsetX - LEFT) / x, low + (this.size()[1] - BOTTOM - e.offsetY) / z];
  }

  protected down(e: PointerEvent): void {
    if (e.button === 0 && this.marker().begin(this.place(e)))
      this.canvas().nativeElement.setPointerCapture(e.pointerId);
  }

  protected move(e: PointerEvent): void {
    const s = this.strip();
    if (!s) return;
    const { x, z } = this.scales();
    const [along, height] = this.place(e);
    if (this.marker().go([along, height], x, z)) return;
    const t = Math.min(1, Math.max(0, along / (stripLength(s) || 1)));
    this.cursor.at.set({ x: s.ax + t * (s.bx - s.ax), y: s.ay + t * (s.by - s.ay), pane: 0 });
    let best: { p: Shown; i: number; d: number } | null = null;
    for (const p of this.parts())
      for (let i = 0; i < p.z.length; i++) {
        const d = Math.hypot((p.along[i]! - along) * x, (p.z[i]! - height) * z);
        if (d < (best?.d ?? 9)) best = { p, i, d };
      }
    void this.tell(best);
  }

  private async tell(best: { p: Shown; i: number } | null): Promise<void> {
    if (!best) {
      this.under.set('');
      return;
    }
    const { p, i } = best;
    const info = this.info();
    const unit = displayUnit(info.heightUnit);
    const text = `${formatNumber(p.along[i]! * this.metres(), 100)} m along · ${formatNumber(p.z[i]!, 100)} ${unit}`;
    this.under.set(text);
    if (!info.attributes.some((a) => a.name === 'classification')) return;
    const project = this.project.project()?.id ?? '';
    const list = await this.clouds.list(project, this.item().id, info);
    const classes = await this.clouds.values(project, this.item().id, info, list, p.key, 'classification');
    if (this.under() === text) this.under.set(`${text} · ${className(classes[p.index[i]!]!)}`);
  }

  protected leave(): void {
    this.under.set('');
    this.cursor.at.set(null);
  }
}
