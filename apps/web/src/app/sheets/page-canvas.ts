import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  input,
  output,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import { around, snapped, type Guide, type Moving } from '@helk/core/sheet/arrange';
import { frameMap } from '@helk/core/sheet/ground';
import type { Frame, Part } from '@helk/core/sheet/shape';
import { sentence } from '../api/api';
import { inGrey } from '../draw/grey';
import { made, paint } from '../draw/paint';
import type { DisplayList } from '../draw/display';
import { MapSheets } from '../state/map-sheets';
import { ProjectStore } from '../state/project.store';
import { Composer } from './composer';
import { finerAt } from './output';
import { recordOf } from './parts';
import type { PartContext } from './parts/part';

/** Pixels within which a part snaps, and that a pointer must go before it drags. */
const REACH = 6;
const SLACK = 3;
/** Steps of keys, mm. */
const STEP = 1;
const FINE = 0.1;
const COARSE = 10;

interface Handle extends Moving {
  name: string;
  left: boolean;
  right: boolean;
  top: boolean;
  bottom: boolean;
}
const HANDLES: readonly Handle[] = [
  ['nw', 1, 0, 1, 0],
  ['n', 0, 0, 1, 0],
  ['ne', 0, 1, 1, 0],
  ['e', 0, 1, 0, 0],
  ['se', 0, 1, 0, 1],
  ['s', 0, 0, 0, 1],
  ['sw', 1, 0, 0, 1],
  ['w', 1, 0, 0, 0],
].map(([name, l, r, t, b]) => ({
  name: name as string,
  left: l === 1,
  right: r === 1,
  top: t === 1,
  bottom: b === 1,
}));

/** The page with its parts, which are taken hold of where they are seen. */
@Component({
  selector: 'helk-page-canvas',
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './page-canvas.html',
  host: { class: 'relative block' },
})
export class PageCanvas {
  readonly ctx = input.required<PartContext>();
  /** Pixels to a millimetre. */
  readonly zoom = input.required<number>();
  /** How it is seen, by the name of a filter. */
  readonly seen = input('all');
  readonly drawn = output<DisplayList>();
  protected readonly sheets = inject(MapSheets);
  private readonly composer = inject(Composer);
  private readonly store = inject(ProjectStore);
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('sheetCanvas');
  private readonly sheetBox = viewChild.required<ElementRef<HTMLElement>>('box');
  protected readonly handles = HANDLES;
  protected readonly guides = signal<readonly Guide[]>([]);
  /** The map that is being moved within its frame. */
  readonly inside = signal<string | null>(null);
  /** The page is being drawn anew. */
  readonly busy = signal(false);
  /** Something is being stretched: what is drawn waits until it is let go. */
  private readonly holding = signal(false);

  protected readonly page = computed(() => this.ctx().sheet.page);
  protected readonly parts = computed(() =>
    this.ctx().sheet.parts.map((p) => ({
      part: p,
      chosen: this.sheets.chosen().includes(p.id),
      label: `${recordOf(p).label}, ${Math.round(p.width)} by ${Math.round(p.height)} mm, ${Math.round(p.x)} from the left, ${Math.round(p.y)} from the top`,
    })),
  );
  protected readonly one = computed(() => (this.sheets.chosen().length === 1 ? this.sheets.parts()[0] : undefined));

  constructor() {
    let turn = 0;
    let running: Promise<void> = Promise.resolve();
    effect(() => {
      const [ctx, zoom, holding, grey] = [this.ctx(), this.zoom(), this.holding(), this.seen() === 'grey'];
      if (holding) return;
      const mine = ++turn;
      untracked(() => this.busy.set(true));
      // One after the other, the last wish counts.
      running = running.then(async () => {
        if (mine !== turn) return;
        try {
          await this.paint(ctx, zoom, grey, () => mine !== turn);
        } catch (e) {
          this.store.notify(sentence(e), 'refused');
        }
        if (mine === turn) this.busy.set(false);
      });
    });
    effect(() => {
      const id = this.inside();
      if (id && !this.sheets.chosen().includes(id)) untracked(() => this.inside.set(null));
    });
  }

  private async paint(ctx: PartContext, zoom: number, grey: boolean, old: () => boolean): Promise<void> {
    const list = await this.composer.list(ctx);
    if (old()) return;
    const finer = finerAt(zoom, Math.max(1, devicePixelRatio));
    const whole = await made(list, finer, { loose: true });
    // As it is printed without colours: classes have greys of their own.
    const ready = grey ? inGrey(whole, await this.composer.greys(ctx)) : whole;
    if (old()) return;
    const picture = paint(ready, finer);
    const canvas = this.canvas().nativeElement;
    canvas.width = picture.width;
    canvas.height = picture.height;
    canvas.getContext('2d')!.drawImage(picture, 0, 0);
    this.drawn.emit(list);
  }

  /** Where a pointer is on the page, mm. */
  private at(e: PointerEvent | WheelEvent): [number, number] {
    const box = this.sheetBox().nativeElement.getBoundingClientRect();
    return [(e.clientX - box.left) / this.zoom(), (e.clientY - box.top) / this.zoom()];
  }

  protected choose(p: Part, e: PointerEvent): void {
    const chosen = this.sheets.chosen();
    if (e.shiftKey || e.ctrlKey || e.metaKey)
      this.sheets.chosen.set(chosen.includes(p.id) ? chosen.filter((c) => c !== p.id) : [...chosen, p.id]);
    else if (!chosen.includes(p.id)) this.sheets.chosen.set([p.id]);
  }

  protected press(p: Part, e: PointerEvent): void {
    if (e.button !== 0) return;
    (e.currentTarget as HTMLElement).focus();
    this.choose(p, e);
    e.preventDefault();
    e.stopPropagation();
    if (this.inside() === p.id && p.kind === 'frame') this.pan(p, e);
    else this.drag(e);
  }

  /** Follows the pointer until it is let go. @param go by how far, mm; whether it is without snapping */
  private follow(e: PointerEvent, go: (dx: number, dy: number, free: boolean) => void, over?: () => void): void {
    const from = this.at(e);
    let moved = false;
    const move = (m: PointerEvent): void => {
      const [x, y] = this.at(m);
      const [dx, dy] = [x - from[0], y - from[1]];
      moved ||= Math.hypot(dx, dy) * this.zoom() > SLACK;
      if (moved) go(dx, dy, m.altKey);
    };
    const up = (): void => {
      removeEventListener('pointermove', move);
      removeEventListener('pointerup', up);
      removeEventListener('pointercancel', up);
      this.guides.set([]);
      this.sheets.settle();
      over?.();
    };
    addEventListener('pointermove', move);
    addEventListener('pointerup', up);
    addEventListener('pointercancel', up);
  }

  private drag(e: PointerEvent): void {
    const chosen = new Set(this.sheets.chosen());
    const { sheet } = this.ctx();
    const before = new Map(sheet.parts.filter((p) => chosen.has(p.id)).map((p) => [p.id, p]));
    const others = sheet.parts.filter((p) => !chosen.has(p.id));
    const all = [...before.values()];
    if (!all.length) return;
    const box = around(all);
    this.follow(e, (dx, dy, free) => {
      const to = { ...box, x: box.x + dx, y: box.y + dy };
      const s = free ? { dx: 0, dy: 0, guides: [] } : snapped(to, others, sheet.page, REACH / this.zoom());
      this.guides.set(s.guides);
      this.sheets.change(
        (now) => ({
          ...now,
          parts: now.parts.map((p) => {
            const was = before.get(p.id);
            return was ? { ...p, x: was.x + dx + s.dx, y: was.y + dy + s.dy } : p;
          }),
        }),
        'drag',
      );
    });
  }

  protected stretch(p: Part, h: Handle, e: PointerEvent): void {
    if (e.button !== 0) return;
    e.preventDefault();
    e.stopPropagation();
    const { sheet } = this.ctx();
    const others = sheet.parts.filter((o) => o.id !== p.id);
    this.holding.set(true);
    this.follow(
      e,
      (dx, dy, free) => {
        const held = resized(p, h, dx, dy);
        const s = free ? { dx: 0, dy: 0, guides: [] } : snapped(held, others, sheet.page, REACH / this.zoom(), h);
        this.guides.set(s.guides);
        const to = resized(p, h, dx + s.dx, dy + s.dy);
        this.sheets.changePart(p.id, (x) => ({ ...x, ...to }), 'stretch');
      },
      () => this.holding.set(false),
    );
  }

  /** Moves what a frame shows. */
  private pan(p: Frame, e: PointerEvent): void {
    const f = this.ctx().frame(p.id);
    if (!f) return;
    const m = frameMap(f);
    const [mx, my] = [f.x + f.width / 2, f.y + f.height / 2];
    this.follow(e, (dx, dy) => this.setOwn(p, { centre: m.toGround(mx - dx, my - dy) }, 'pan'));
  }

  /** Of one that goes with another, that other. */
  private setOwn(p: Frame, patch: Partial<Frame>, of: string): void {
    this.sheets.changePart(p.linked ?? p.id, (x) => ({ ...x, ...patch }) as Part, of);
  }

  protected enter(p: Part): void {
    if (p.kind === 'frame') this.inside.set(p.id);
  }

  protected wheel(p: Part, e: WheelEvent): void {
    if (this.inside() !== p.id || p.kind !== 'frame') return;
    e.preventDefault();
    const f = this.ctx().frame(p.id);
    if (!f) return;
    const k = Math.exp(e.deltaY * 0.0012);
    const scale = Math.min(1e9, Math.max(1, f.scale * k));
    // The place under the pointer stays there.
    const [x, y] = this.at(e);
    const here = frameMap(f).toGround(x, y);
    const centre: [number, number] = [
      here[0] + (f.centre[0] - here[0]) * (scale / f.scale),
      here[1] + (f.centre[1] - here[1]) * (scale / f.scale),
    ];
    this.setOwn(p, { scale: Number(scale.toPrecision(4)), centre }, 'wheel');
  }

  /** Arrows move what is chosen, with Ctrl its lower right corner; within a map they move the map. */
  protected key(p: Part, e: KeyboardEvent): void {
    if (e.key === 'Escape') {
      if (this.inside()) this.inside.set(null);
      else this.sheets.chosen.set([]);
      e.preventDefault();
      return;
    }
    if (e.key === ' ') {
      this.sheets.chosen.set([p.id]);
      e.preventDefault();
      return;
    }
    const [ux, uy] = ({ ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key] ??
      []) as number[];
    if (ux === undefined || uy === undefined) return;
    e.preventDefault();
    const by = e.altKey ? FINE : e.shiftKey ? COARSE : STEP;
    if (!this.sheets.chosen().includes(p.id)) this.sheets.chosen.set([p.id]);
    const f = this.inside() === p.id && p.kind === 'frame' ? this.ctx().frame(p.id) : undefined;
    if (f && p.kind === 'frame') {
      const [mx, my] = [f.x + f.width / 2, f.y + f.height / 2];
      this.setOwn(p, { centre: frameMap(f).toGround(mx + ux * by, my + uy * by) }, 'key');
      return;
    }
    const chosen = new Set(this.sheets.chosen());
    const r = (v: number): number => Math.round(v * 1000) / 1000;
    this.sheets.change(
      (s) => ({
        ...s,
        parts: s.parts.map((x) =>
          !chosen.has(x.id)
            ? x
            : e.ctrlKey || e.metaKey
              ? { ...x, width: Math.max(1, r(x.width + ux * by)), height: Math.max(1, r(x.height + uy * by)) }
              : { ...x, x: r(x.x + ux * by), y: r(x.y + uy * by) },
        ),
      }),
      'keys',
    );
  }

  protected nothing(e: PointerEvent): void {
    if (e.target !== e.currentTarget) return;
    this.sheets.chosen.set([]);
    this.inside.set(null);
  }
}

/** A box with one of its handles moved; it never becomes less than a millimetre. */
function resized(p: Part, h: Handle, dx: number, dy: number): { x: number; y: number; width: number; height: number } {
  const left = h.left ? Math.min(dx, p.width - 1) : 0;
  const top = h.top ? Math.min(dy, p.height - 1) : 0;
  return {
    x: p.x + left,
    y: p.y + top,
    width: Math.max(1, p.width - left + (h.right ? dx : 0)),
    height: Math.max(1, p.height - top + (h.bottom ? dy : 0)),
  };
}
