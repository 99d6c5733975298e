import { CdkMenu, CdkMenuItem, CdkMenuTrigger } from '@angular/cdk/menu';
import { CdkConnectedOverlay, CdkOverlayOrigin, type ConnectedPosition } from '@angular/cdk/overlay';
import {
  afterNextRender,
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
import { NgIcon, provideIcons } from '@ng-icons/core';
import type { EventsKey } from 'ol/events';
import { unByKey } from 'ol/Observable';
import type View from 'ol/View';
import { Vector3 } from 'three';
import { columnsOf, formatNumber, metresPerUnit, sideOf, type Extent } from '@helk/core';
import { sentence } from '../api/api';
import { themeNow } from '../draw/theme';
import { clientKind } from '../kinds';
import { KindTools } from '../kinds/tools';
import { PaneChips } from '../pane/pane-chips';
import { Key, NARROW } from '../pane/key';
import { barOf } from '../pane/scale-bar';
import { entryPicker, keysOf, stackOf } from '../pane/stack';
import { ICONS } from '../parts/icons';
import { saveBlob } from '../parts/save';
import { SliderRow } from '../parts/slider-row';
import { BenchStore } from '../state/bench.store';
import { Cursor } from '../state/cursor';
import { START_VIEW, type Pane, type SceneView } from '../state/panes';
import { Picks } from '../state/picks';
import { Clicking } from '../state/clicking';
import { extentOfAll, extentsOf, ProjectStore } from '../state/project.store';
import { Views } from '../state/views';
import { distanceFor, dragged, turned, type Eye } from './eye';
import { keyed, pressed, wheeled, type Moves } from './hands';
import { SceneWorld } from './scene-world';
import type { DisplayList } from '../draw/display';
import { Seeing } from '../state/seeing';
import { Stage } from './stage';
import type { ModelFormat } from './take-along';

/**
 * A pane that shows what a map does in space. Place and scale are those of its view, which linked panes share; from which side and how steeply
 * is its own.
 */
@Component({
  selector: 'helk-scene-pane',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    NgIcon,
    Key,
    PaneChips,
    SliderRow,
    CdkConnectedOverlay,
    CdkOverlayOrigin,
    CdkMenu,
    CdkMenuItem,
    CdkMenuTrigger,
  ],
  viewProviders: [provideIcons(ICONS)],
  templateUrl: './scene-pane.html',
  host: { class: 'relative block min-w-0 min-h-0 overflow-hidden bg-paper h-full' },
})
export class ScenePane {
  readonly pane = input.required<Pane>();
  protected readonly bench = inject(BenchStore);
  protected readonly project = inject(ProjectStore);
  private readonly tools = inject(KindTools);
  private readonly picks = inject(Picks);
  private readonly clicking = inject(Clicking);
  private readonly views = inject(Views);
  private readonly cursor = inject(Cursor);
  private readonly host = viewChild.required<ElementRef<HTMLElement>>('host');
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('canvas');

  private readonly stage = signal<Stage | null>(null);
  private world: SceneWorld | null = null;
  private worldOf = '';
  private olView: View | null = null;
  private listening: EventsKey | null = null;
  /** Height of the place that is looked at, m. */
  private z = 0;
  protected readonly problem = signal<string | null>(null);
  protected readonly setting = signal(false);
  protected readonly moved = signal(0);
  private readonly told = signal(0);
  private readonly points = signal(0);
  protected readonly NARROW = NARROW;
  protected readonly size = signal<[number, number]>([1, 1]);
  protected readonly beside: ConnectedPosition[] = [
    { originX: 'start', originY: 'top', overlayX: 'end', overlayY: 'top', offsetX: -6 },
  ];
  protected readonly sizes = [
    { title: 'Picture as it is seen (PNG)', width: 0, height: 0 },
    { title: 'Picture, 1920 × 1080', width: 1920, height: 1080 },
    { title: 'Picture, 3840 × 2160', width: 3840, height: 2160 },
  ];

  protected readonly active = computed(() => this.bench.activePane() === this.pane().id);
  protected readonly view = computed((): SceneView => ({ ...START_VIEW, ...this.pane().scene }));
  protected readonly low = computed(() => this.size()[1] < 290);
  protected readonly side = computed(() => (this.view().tilt < 5 ? 'straight down' : sideOf(this.view().heading)));
  protected readonly counted = computed(() => {
    const n = this.points();
    return n ? ` · ${formatNumber(n)} points` : '';
  });
  protected readonly stack = stackOf(this.pane);
  protected readonly keys = keysOf(this.stack, (id) => {
    this.told();
    return this.world?.symbolsOf(id) ?? null;
  });
  protected readonly pickEntry = entryPicker(this.pane);
  protected readonly grounds = computed(() =>
    this.stack()
      .filter((l) => clientKind(l.item.info).ground?.(l.item.info as never, l.look as never))
      .map((l) => l.item),
  );
  protected readonly ground = computed(() => SceneWorld.groundOf(this.stack(), this.view().ground));
  /** Features, and the columns that could lift them. */
  protected readonly lifts = computed(() =>
    this.stack().flatMap(({ item }) => {
      const columns = columnsOf(item.info).filter((c) => c.type === 'number');
      const { body } = clientKind(item.info);
      if (!columns.length || !body) return [];
      const lift = body(item.info as never, this.view().lift[item.id])?.lift ?? null;
      return [{ id: item.id, name: item.name, lift, columns: columns.map((c) => c.name) }];
    }),
  );
  protected readonly bar = computed(() => {
    this.moved();
    const r = this.olView?.getResolution();
    return r ? barOf(r, this.project.system(), this.olView!.getCenter()?.[1] ?? 0) : null;
  });
  /** The pointer of another pane. */
  protected readonly ring = computed(() => {
    this.moved();
    this.told();
    const c = this.cursor.at();
    const stage = this.stage();
    if (!c || !stage || !this.world || !this.bench.linkedCursor() || c.pane === this.pane().id) return null;
    const { origin, unit, ground } = this.world;
    const height = ground.heightAt(c.x, c.y);
    const z = (height === height ? height : this.z) * this.view().exaggeration;
    const p = new Vector3((c.x - origin[0]) * unit, (c.y - origin[1]) * unit, z).project(stage.camera);
    const [w, h] = this.size();
    return p.z < 1 ? { left: ((p.x + 1) / 2) * w, top: ((1 - p.y) / 2) * h } : null;
  });

  constructor() {
    const seeing = inject(Seeing);
    effect((done) => done(seeing.pane(this.pane().id, () => this.seen())));
    afterNextRender(() => this.open());
    effect(() => this.follow());
    effect(() => this.sync());
    effect(() => {
      const s = this.stage();
      const { azimuth, altitude } = this.view();
      // A light that stands still over the picture would light every slope alike: it is one of the sky.
      s?.lamp({ azimuth, altitude });
    });
    effect(() => this.aim());
    inject(DestroyRef).onDestroy(() => {
      if (this.listening) unByKey(this.listening);
      this.watch?.disconnect();
      this.world?.dispose();
      this.stage()?.dispose();
    });
  }

  private watch: ResizeObserver | null = null;

  private open(): void {
    try {
      const stage = new Stage(this.canvas().nativeElement, () => {
        this.world?.prepare(untracked(this.view).exaggeration);
        this.points.set(this.world?.points ?? 0);
      });
      this.watch = new ResizeObserver(([e]) => {
        const { width, height } = e!.contentRect;
        stage.resize(width, height);
        this.size.set([width, height]);
      });
      this.watch.observe(this.host().nativeElement);
      this.stage.set(stage);
    } catch {
      this.problem.set('This browser draws no scenes: WebGL is switched off, or there is none.');
    }
  }

  /** Listens to the view that the pane looks through. */
  private follow(): void {
    const project = this.project.project();
    if (!project) return;
    const view = this.views.for(this.pane().id, this.bench.linkedView(), this.project.crs(), project.id);
    if (view !== this.olView) {
      this.olView = view;
      if (this.listening) unByKey(this.listening);
      this.listening = view.on('propertychange', () => this.moved.update((n) => n + 1));
    }
    const items = this.stack().map((l) => l.item);
    const size = this.size();
    if (items.length && size[0] > 1) untracked(() => Views.arrive(view, extentsOf(items, this.project.crs()), size));
    untracked(() => this.moved.update((n) => n + 1));
  }

  private eye(): Eye {
    const { heading, tilt } = this.view();
    const r = this.olView?.getResolution() ?? 1;
    return { heading, tilt, z: this.z, distance: distanceFor(r * this.unit(), this.size()[1]) };
  }

  private unit(): number {
    const crs = this.project.crs();
    return crs.geographic ? NaN : metresPerUnit(crs);
  }

  private aim(): void {
    this.moved();
    this.told();
    const stage = this.stage();
    const centre = this.olView?.getCenter();
    const { exaggeration } = this.view();
    if (!stage || !centre || !this.world) return;
    const { origin, unit, ground } = this.world;
    const height = ground.heightAt(centre[0]!, centre[1]!);
    this.z = height === height ? height : this.middle();
    stage.look((centre[0]! - origin[0]) * unit, (centre[1]! - origin[1]) * unit, this.eye(), exaggeration);
    stage.stir();
  }

  /** Height of what stands where there is no ground. */
  private middle(): number {
    for (const { item } of this.stack()) {
      const h = clientKind(item.info).heights?.(item.info as never);
      if (h) return (h[0] + h[1]) / 2;
    }
    return 0;
  }

  /** Brings the scene in line with the stack, the theme, what is picked, and where one is. */
  private sync(): void {
    const stage = this.stage();
    const stack = this.stack();
    const crs = this.project.crs();
    const view = this.view();
    const dark = this.bench.dark();
    this.moved();
    for (const { item } of stack) this.picks.of(item.id);
    const [width, height] = this.size();
    if (!stage || !this.olView || width < 2) return;
    if (crs.geographic) {
      this.problem.set('The project is in degrees, and a scene wants metres: set a projected system for the project.');
      return;
    }
    this.problem.set(null);
    const centre = this.olView.getCenter();
    const r = this.olView.getResolution();
    if (!centre || !r) return;
    untracked(() => {
      // One origin a system: single-precision numbers would tremble far from it.
      if (this.worldOf !== crs.proj4 || !this.world) {
        this.world?.dispose();
        this.worldOf = crs.proj4;
        this.world = new SceneWorld(
          stage,
          this.tools,
          crs,
          [Math.round(centre[0]!), Math.round(centre[1]!)],
          metresPerUnit(crs),
          () => this.told.update((n) => n + 1),
          (e) => this.project.notify(sentence(e), 'refused'),
        );
        this.told.update((n) => n + 1);
      }
      const theme = themeNow(dark);
      stage.ground(dark ? '#1c2427' : '#e6ecec');
      const half = (r * Math.max(width, height)) / 2;
      const seen: Extent = [centre[0]! - half, centre[1]! - half, centre[0]! + half, centre[1]! + half];
      this.world.sync(stack, view, theme, seen);
    });
  }

  protected set(patch: Partial<SceneView>): void {
    this.bench.lookAround(this.pane().id, patch);
  }

  protected lift(dataset: string, column: string): void {
    this.set({ lift: { ...this.view().lift, [dataset]: column } });
  }

  protected focus(): void {
    if (!this.active()) this.bench.set({ activePane: this.pane().id });
  }

  private turn(heading: number, tilt: number): void {
    const e = turned(this.eye(), heading, tilt);
    this.set({ heading: e.heading, tilt: e.tilt });
  }

  private pan(dx: number, dy: number): void {
    const centre = this.olView?.getCenter();
    if (!centre) return;
    const [east, north] = dragged(this.eye(), dx, dy, this.size()[1]);
    const k = this.unit();
    this.olView!.setCenter([centre[0]! + east / k, centre[1]! + north / k]);
  }

  protected zoom(factor: number): void {
    const r = this.olView?.getResolution();
    if (r) this.olView!.setResolution(r * factor);
  }

  protected home(): void {
    const e = extentOfAll(
      this.stack().map((l) => l.item),
      this.project.crs(),
    );
    if (e && this.olView) Views.go(this.olView, e, this.size());
  }

  protected above(): void {
    this.set({ tilt: 0, heading: 0 });
  }

  private readonly moves: Moves = {
    turn: (heading, tilt) => this.turn(heading, tilt),
    pan: (dx, dy) => this.pan(dx, dy),
    zoom: (factor) => this.zoom(factor),
    home: () => this.home(),
    click: (e) => this.click(e),
    hold: (on) => this.stage()?.hold(on),
  };

  protected press(e: PointerEvent): void {
    this.focus();
    this.host().nativeElement.focus({ preventScroll: true });
    pressed(e, this.moves);
  }
  protected wheel(e: WheelEvent): void {
    wheeled(e, this.moves);
  }
  protected key(e: KeyboardEvent): void {
    keyed(e, this.moves);
  }

  private at(e: PointerEvent): [number, number] {
    const box = this.host().nativeElement.getBoundingClientRect();
    return [e.clientX - box.left, e.clientY - box.top];
  }

  /** Reads values where one clicks, and picks what stands there where that is asked for. */
  private click(e: PointerEvent): void {
    const hit = this.world?.hit(...this.at(e), this.z);
    if (!hit) return;
    const hits = hit.dataset ? [{ dataset: hit.dataset, row: hit.row }] : [];
    this.clicking.at(this.pane().id, { x: hit.x, y: hit.y }, hits, e);
  }

  private hovered = 0;
  protected hover(e: PointerEvent): void {
    if (e.buttons || !this.bench.linkedCursor() || this.hovered) return;
    // Looking for what is under the pointer takes some milliseconds: once a picture.
    this.hovered = requestAnimationFrame(() => {
      this.hovered = 0;
      const [px, py] = this.at(e);
      const stage = this.stage();
      const p =
        stage?.under(px, py, this.world?.ground.meshes ?? [])[0]?.point ??
        stage?.level(px, py, this.z * this.view().exaggeration);
      if (!p || !this.world) return;
      const { origin, unit } = this.world;
      this.cursor.at.set({ x: p.x / unit + origin[0], y: p.y / unit + origin[1], pane: this.pane().id });
    });
  }

  protected leave(): void {
    this.cursor.at.set(null);
  }

  private name(): string {
    return this.stack().findLast((l) => l.layer.visible)?.item.name ?? 'scene';
  }

  /** The scene as it is seen, as a drawing. */
  private async seen(): Promise<{ list: DisplayList; title: string } | null> {
    const stage = this.stage();
    const [width, height] = this.size();
    if (!stage || !width) return null;
    const picture = await createImageBitmap(await stage.picture(Math.round(width * 2), Math.round(height * 2)));
    const title = this.stack()
      .filter((l) => l.layer.visible)
      .map((l) => l.item.name)
      .join(' + ');
    return { list: { width, height, items: [{ kind: 'image', image: picture, x: 0, y: 0, width, height }] }, title };
  }

  protected picture(width: number, height: number): Promise<void> {
    return this.project.guarded(async () => {
      const [w, h] = this.size();
      const blob = await this.stage()!.picture(width || Math.round(w * 2), height || Math.round(h * 2));
      saveBlob(blob, `${this.name()} scene.png`);
    }) as Promise<void>;
  }

  protected model(format: ModelFormat): Promise<void> {
    return this.project.guarded(async () => {
      const { modelOf } = await import('./take-along');
      const crs = this.project.crs();
      const where = `${crs.code ?? crs.name} ${this.world?.origin.join(' ') ?? ''}`;
      saveBlob(await modelOf(this.stage()!.world, format, where), `${this.name()}.${format}`);
    }) as Promise<void>;
  }
}
