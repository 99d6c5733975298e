import { CdkConnectedOverlay, CdkOverlayOrigin, type ConnectedPosition } from '@angular/cdk/overlay';
import { CdkTrapFocus } from '@angular/cdk/a11y';
import { CdkMenu, CdkMenuItem, CdkMenuItemCheckbox, CdkMenuTrigger } from '@angular/cdk/menu';
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
import { NgIcon, provideIcons } from '@ng-icons/core';
import OlMap from 'ol/Map';
import type { EventsKey } from 'ol/events';
import { unByKey } from 'ol/Observable';
import { kindOf, type GeometryType } from '@helk/core';
import { sentence } from '../api/api';
import { Preview } from '../draw/preview';
import { GroundLayer } from '../draw/ground/layer';
import { Sketch } from '../draw/sketch';
import { SketchBar } from '../draw/sketch-bar';
import { themeNow } from '../draw/theme';
import { clientKind } from '../kinds';
import { KindTools } from '../kinds/tools';
import { BackgroundMenu } from '../background/background-menu';
import { ICONS } from '../parts/icons';
import { Backgrounds } from '../state/backgrounds';
import { BenchStore } from '../state/bench.store';
import { Clicking, type Hit } from '../state/clicking';
import { Cursor } from '../state/cursor';
import { Findings } from '../state/findings';
import { Looks } from '../state/looks';
import { Moments } from '../state/moments';
import { Outlines } from '../state/outlines';
import type { Pane } from '../state/panes';
import { Picks } from '../state/picks';
import { extentIn, extentsOf, ProjectStore, type DatasetItem } from '../state/project.store';
import { Seeing } from '../state/seeing';
import { Views } from '../state/views';
import { cursorValue } from './cursor-value';
import { Cutter } from './cutter';
import { Key, NARROW } from './key';
import { MapLayers, topOf, type Stacked } from './map-layers';
import { Overlays } from './overlays';
import { markLines, previewLines } from './preview-lines';
import { PaneChips } from './pane-chips';
import { PanePictures, type PictureWish } from './pane-pictures';
import { barOf } from './scale-bar';
import { TimeBar } from './time-bar';
import { entryPicker, keysOf, stackOf } from './stack';

/** Pixels. */
const LOW = 290;
/** Left of its button, and below the top of it. */
const BESIDE: ConnectedPosition[] = [
  { originX: 'start', originY: 'top', overlayX: 'end', overlayY: 'top', offsetX: -6 },
];

/** One pane: a map of the datasets in its stack, with key, scale, coordinates and the linked cursor. */
@Component({
  selector: 'helk-map-pane',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    NgIcon,
    Key,
    PaneChips,
    SketchBar,
    TimeBar,
    BackgroundMenu,
    CdkTrapFocus,
    CdkMenu,
    CdkMenuItem,
    CdkMenuItemCheckbox,
    CdkMenuTrigger,
    CdkConnectedOverlay,
    CdkOverlayOrigin,
  ],
  viewProviders: [provideIcons(ICONS)],
  templateUrl: './map-pane.html',
  host: { class: 'relative block min-w-0 min-h-0 overflow-hidden bg-paper h-full' },
})
export class MapPane {
  readonly pane = input.required<Pane>();
  protected readonly bench = inject(BenchStore);
  protected readonly project = inject(ProjectStore);
  private readonly looks = inject(Looks);
  private readonly tools = inject(KindTools);
  private readonly picks = inject(Picks);
  protected readonly preview = inject(Preview);
  protected readonly sketch = inject(Sketch);
  private readonly views = inject(Views);
  protected readonly cutter = inject(Cutter);
  private readonly cursor = inject(Cursor);
  private readonly outlines = inject(Outlines);
  private readonly moments = inject(Moments);
  protected readonly findings = inject(Findings);
  protected readonly clicking = inject(Clicking);
  private readonly backgrounds = inject(Backgrounds);
  protected readonly beside = BESIDE;
  protected readonly choosingGround = signal(false);
  /** Who made what lies under the data. */
  protected readonly credit = computed(() => this.backgrounds.creditOf(this.bench.background()));
  /** What of it did not come, and why. */
  protected readonly groundLost = signal('');
  private readonly target = viewChild.required<ElementRef<HTMLElement>>('map');

  private map: OlMap | null = null;
  private readonly mapMade = signal<OlMap | null>(null);
  private layersOf: MapLayers | null = null;
  private ground: GroundLayer | null = null;
  private overlays: Overlays | null = null;
  /** Counts view changes so that overlays placed by coordinate follow. */
  protected readonly moved = signal(0);
  /** Counts what changes legends. */
  private readonly told = signal(0);
  protected readonly active = computed(() => this.bench.activePane() === this.pane().id);

  /** A pane so low that open keys would cover its picture. */
  protected readonly low = computed(() => {
    this.moved();
    return (this.mapMade()?.getSize()?.[1] ?? LOW) < LOW;
  });

  protected readonly narrow = computed(() => {
    this.moved();
    return (this.mapMade()?.getSize()?.[0] ?? NARROW) < NARROW;
  });

  protected readonly stack = stackOf(this.pane);
  /** What has steps among it. */
  protected readonly timed = computed(() => this.moments.of(this.pane()));

  protected readonly keys = keysOf(this.stack, (id) => {
    this.told();
    return this.layersOf?.symbolsOf(id) ?? null;
  });
  protected readonly allKeys = signal(false);
  /** How many keys stand on the picture before one asks for all. */
  protected readonly mostKeys = computed(() => (this.low() ? 2 : 4));
  /** That of the chosen dataset is among them. */
  protected readonly keysShown = computed(() => {
    const all = this.keys();
    if (this.allKeys() || all.length <= this.mostKeys()) return all;
    const chosen = this.bench.selected();
    const first = all.filter((k) => k.id === chosen);
    return [...first, ...all.filter((k) => k.id !== chosen)].slice(0, this.mostKeys());
  });
  protected readonly pickEntry = entryPicker(this.pane);
  /** Something here has rows that can be picked. */
  protected readonly pickable = computed(() =>
    this.stack().some(({ item }) => (kindOf(item.info).rows?.(item.info).count ?? 0) > 0),
  );
  /** More than one thing that can be drawn aside. */
  protected readonly swipes = computed(
    () => this.stack().filter((l) => l.layer.visible && clientKind(l.item.info).swipes).length > 1,
  );
  /** What tells its value under the cursor. */
  private readonly read = computed((): Pick<Stacked, 'item' | 'look'> | undefined => {
    const told = this.cursor.tells();
    const item = told ? this.project.datasetEntityMap()[told] : undefined;
    return item ? { item, look: this.looks.of(item) } : topOf(this.stack(), (l) => l.scale !== null);
  });
  protected readonly here = cursorValue(
    () => this.pane().id,
    () => this.read(),
  );
  /** What a part can be cut out of. */
  protected readonly cuttable = computed(() => this.cutter.of(this.stack()));
  /** What a result that is shown was put together from. */
  protected readonly parts = computed((): DatasetItem[] => {
    for (const { item } of this.stack()) {
      const role = this.looks.shows(item)?.parts;
      const run = this.project.madeBy(item);
      if (role && run) return (run.inputs[role] ?? []).flatMap((id) => this.project.datasetEntityMap()[id] ?? []);
    }
    return [];
  });
  /** Layers of which nothing is in view. */
  protected readonly away = computed((): ReadonlySet<string> => {
    this.moved();
    const map = this.mapMade();
    const size = map?.getSize();
    if (!map || !size?.[0]) return new Set();
    const [w, s, e, n] = map.getView().calculateExtent(size) as [number, number, number, number];
    return new Set(
      this.stack().flatMap(({ item }) => {
        const x = extentIn(item.info, this.project.crs());
        return x && (x[2] < w || x[0] > e || x[3] < s || x[1] > n) ? [item.id] : [];
      }),
    );
  });

  protected readonly ring = computed(() => {
    this.moved();
    const c = this.cursor.at();
    if (!c || (!this.bench.linkedCursor() && c.pane !== this.pane().id)) return null;
    const p = this.map?.getPixelFromCoordinate([c.x, c.y]);
    const [w, h] = this.map?.getSize() ?? [0, 0];
    return p
      ? { left: p[0]!, top: p[1]!, own: c.pane === this.pane().id, flip: p[0]! > w! - 110, up: p[1]! > h! - 60 }
      : null;
  });
  protected readonly marks = computed(() => {
    this.moved();
    const here = this.bench.readout();
    const all = [...this.bench.pins(), ...(here ? [here] : [])];
    return all.map((m) => ({ ...m, at: this.map?.getPixelFromCoordinate([m.x, m.y]) })).filter((m) => m.at);
  });
  protected readonly scaleBar = computed(() => {
    this.moved();
    const view = this.map?.getView();
    const r = view?.getResolution();
    return r ? barOf(r, this.project.system(), view!.getCenter()?.[1] ?? 0) : null;
  });

  protected readonly pictures = new PanePictures({
    map: () => this.map,
    pane: this.pane,
    stack: this.stack,
    keys: this.keys,
    scaleBar: this.scaleBar,
    timed: this.timed,
  });

  protected readonly wishes: { id: keyof PictureWish; label: string }[] = [
    { id: 'title', label: 'with its title' },
    { id: 'north', label: 'with a north arrow' },
    { id: 'picked', label: 'what is picked stands out' },
  ];

  /** What listens to the view that the pane looks through. */
  private listening: EventsKey | null = null;

  constructor() {
    const seeing = inject(Seeing);
    effect((done) => done(seeing.pane(this.pane().id, () => this.pictures.seen())));
    effect(() => {
      const project = this.project.project();
      if (!project) return;
      const view = this.views.for(this.pane().id, this.bench.linkedView(), this.project.crs(), project.id);
      const map = (this.map ??= this.makeMap());
      if (map.getView() !== view) {
        map.setView(view);
        // Panes share views, and views outlive panes: a pane that goes or turns to another view stops listening.
        if (this.listening) unByKey(this.listening);
        this.listening = view.on('propertychange', () => this.moved.update((n) => n + 1));
      }
      this.moved.update((n) => n + 1);
    });
    effect(() => this.sync());
    effect(() => this.arrive());
    effect(() => {
      const [crs, ground, theme] = [this.project.crs(), this.backgrounds.ground(), themeNow(this.bench.dark())];
      if (this.mapMade()) untracked(() => this.ground!.sync(ground, crs, theme));
    });
    effect(() => this.drawOver());
    this.sketch.attach(this.mapMade);
    inject(DestroyRef).onDestroy(() => {
      if (this.listening) unByKey(this.listening);
      this.ground?.clear();
      this.layersOf?.dispose();
      this.map?.setTarget(undefined);
      this.map?.dispose();
    });
  }

  protected groundAgain = (): void => this.ground?.again();

  private makeMap(): OlMap {
    const map = new OlMap({ target: this.target().nativeElement, controls: [], layers: [], moveTolerance: 3 });
    map.on('pointermove', (e) => {
      if (!e.dragging) this.cursor.at.set({ x: e.coordinate[0]!, y: e.coordinate[1]!, pane: this.pane().id });
    });
    // A single click is only known as one some time later; by then a drawing that it ended is over.
    let drawing = false;
    map.on('click', () => (drawing = this.sketch.wish() !== null));
    map.on('singleclick', (e) => {
      if (drawing) return;
      const place = { x: e.coordinate[0]!, y: e.coordinate[1]! };
      this.clicking.at(this.pane().id, place, this.hits(e.pixel), e.originalEvent as PointerEvent);
    });
    map.on('change:size', () => {
      untracked(() => this.arrive());
      Views.resized(map.getView(), map.getSize());
      this.moved.update((n) => n + 1);
    });
    // Where a place is in the picture is only known once the picture of it is made: what is told of the view before is of the last one.
    let drawn = '';
    map.on('postrender', ({ frameState }) => {
      const v = frameState?.viewState;
      const now = v ? `${v.center.join()} ${v.resolution} ${frameState.size.join()}` : '';
      if (now === drawn) return;
      drawn = now;
      this.moved.update((n) => n + 1);
    });
    this.ground = new GroundLayer(
      map,
      (e) => this.project.notify(sentence(e), 'refused'),
      (tiles, why) => this.groundLost.set(tiles ? Backgrounds.missing(tiles, why) : ''),
    );
    this.overlays = new Overlays(map);
    this.layersOf = new MapLayers(
      map,
      this.tools,
      () => this.told.update((n) => n + 1),
      (e) => this.project.notify(sentence(e), 'refused'),
    );
    this.mapMade.set(map);
    map.getViewport()!.addEventListener('pointerleave', () => this.cursor.at.set(null));
    return map;
  }

  /** A view that is not anywhere yet goes to the first thing that is shown through it; it is so again once nothing is. */
  private arrive(): void {
    const map = this.mapMade();
    const crs = this.project.crs();
    const linked = this.bench.linkedView();
    const seen = this.bench.panes().filter((p) => linked || p.id === this.pane().id);
    const items = seen.flatMap((p) => p.layers.flatMap((l) => this.project.datasetEntityMap()[l.dataset] ?? []));
    if (!map) return;
    const view = this.views.for(this.pane().id, linked, crs, untracked(this.project.project)?.id ?? '');
    if (items.length) Views.arrive(view, extentsOf(items, crs), map.getSize());
    else Views.renew(view);
  }

  /** Brings the map's layers in line with the stack. */
  private sync(): void {
    const map = this.mapMade();
    const crs = this.project.crs();
    const stack = this.stack();
    const { swipe, time } = this.pane();
    this.picks.range();
    for (const { item } of stack) this.picks.of(item.id);
    const theme = themeNow(this.bench.dark());
    if (!map || !this.project.project()) return;
    untracked(() => this.layersOf!.sync(stack, crs, theme, swipe, time ?? null));
    map.render();
    untracked(() => this.told.update((n) => n + 1));
  }

  /** Rows under a pixel, the topmost first. */
  private hits(pixel: number[]): Hit[] {
    return [...this.stack()]
      .reverse()
      .map(({ item }) => ({ dataset: item.id, row: this.layersOf?.hit(item.id, pixel) ?? -1 }));
  }

  /** The preview belongs where its grid is seen, or in the active pane where it is seen nowhere. */
  protected readonly previewed = computed(() => {
    const p = this.preview.shown();
    if (!p) return null;
    const seen = this.bench.panes().filter((x) => x.layers.some((l) => l.dataset === p.dataset));
    return (seen.length ? seen.some((x) => x.id === this.pane().id) : this.active()) ? p : null;
  });

  /** Outlines of parts, lines that nothing has computed for good yet, the steepest stretch of a profile, the reach of a variogram. */
  private drawOver(): void {
    const shown = this.previewed();
    const item = shown ? this.project.datasetEntityMap()[shown.dataset] : undefined;
    const crs = this.project.crs();
    const parts = this.bench.seams() ? this.parts() : [];
    const lines = [
      ...(shown && item ? previewLines(shown, item, crs) : []),
      ...markLines(this.cursor.stretch(), this.cursor.ring(), this.cursor.framed(), this.outlines.all(), crs),
    ];
    if (!this.mapMade()) return;
    this.overlays!.outline(parts.map((t) => extentIn(t.info, crs)).filter((e) => e !== null));
    this.overlays!.draw(lines);
  }

  protected readonly draws: { geometry: GeometryType; label: string }[] = [
    { geometry: 'point', label: 'Draw points' },
    { geometry: 'line', label: 'Draw a line' },
    { geometry: 'polygon', label: 'Draw areas' },
  ];

  /** Something of one's own, outside any method: a source like a file that was taken in. */
  protected draw(geometry: GeometryType): void {
    this.focus();
    this.sketch.begin(geometry, (id) => this.bench.show(id, this.pane().id, true));
    // After the menu, which gives the keyboard back to its button.
    setTimeout(() => this.target().nativeElement.focus({ preventScroll: true }));
  }

  private readonly drawButton = viewChild.required<ElementRef<HTMLButtonElement>>('drawButton');
  private readonly pictureButton = viewChild<ElementRef<HTMLButtonElement>>('pictureButton');

  /** Every button of the pane has a key; while something is drawn, keys set corners in the middle of the map. */
  protected key(e: KeyboardEvent): void {
    if (e.altKey) return;
    const held = e.ctrlKey || e.metaKey;
    const middle = this.map?.getView().getCenter();
    if (this.sketch.wish()) {
      if (e.key === ' ') this.sketch.add(middle);
      else if (e.key === 'Enter') this.sketch.end();
      else if (e.key === 'Backspace') this.sketch.back();
      else return;
    } else if (e.key === 'Enter' && middle) {
      const pixel = this.map!.getPixelFromCoordinate(middle);
      this.clicking.at(this.pane().id, { x: middle[0]!, y: middle[1]! }, this.hits(pixel), e);
    } else if (held) return;
    else if (e.key === 'Home' || e.key === '0') this.fit();
    else {
      const does: Record<string, (() => void) | undefined> = {
        d: () => this.drawButton().nativeElement.click(),
        p: this.pickable() ? () => this.clicking.picking.update((on) => !on) : undefined,
        b: this.cuttable() ? () => this.cutter.begin(this.cuttable()!) : undefined,
        s: this.swipes() ? () => this.toggleSwipe() : undefined,
        t: this.parts().length ? () => this.bench.set({ seams: !this.bench.seams() }) : undefined,
        v: this.stack().length ? () => this.bench.showScene(this.pane().id) : undefined,
        g: () => this.choosingGround.set(true),
        i: () => this.pictureButton()?.nativeElement.click(),
        x: () => this.bench.closePane(this.pane().id),
      };
      const what = does[e.key];
      if (!what) return;
      what();
    }
    e.preventDefault();
    e.stopPropagation();
  }

  protected focus(): void {
    if (!this.active()) this.bench.set({ activePane: this.pane().id });
  }

  protected zoom(factor: number): void {
    const v = this.map?.getView();
    v?.animate({ resolution: (v.getResolution() ?? 1) * factor, duration: 120 });
  }

  protected goTo(item: DatasetItem): void {
    const e = extentIn(item.info, this.project.crs());
    if (e && this.map) Views.go(this.map.getView(), e, this.map.getSize(), 150);
  }

  /** All of the active dataset, or of everything. */
  protected fit(): void {
    const item = this.stack().find((l) => l.item.id === this.bench.selected())?.item ?? this.stack()[0]?.item;
    const e = item ? extentIn(item.info, this.project.crs()) : this.project.extent();
    if (e && this.map) Views.go(this.map.getView(), e, this.map.getSize(), 150);
  }

  protected toggleSwipe(): void {
    this.bench.change(this.pane().id, (p) => ({ ...p, swipe: p.swipe === null ? 0.5 : null }));
  }

  protected dragSwipe(e: PointerEvent): void {
    const box = this.target().nativeElement.getBoundingClientRect();
    const move = (m: PointerEvent): void => this.moveSwipe((m.clientX - box.left) / box.width);
    const up = (): void => {
      removeEventListener('pointermove', move);
      removeEventListener('pointerup', up);
    };
    addEventListener('pointermove', move);
    addEventListener('pointerup', up);
    e.preventDefault();
  }

  protected moveSwipe(share: number): void {
    this.bench.change(this.pane().id, (p) => ({ ...p, swipe: Math.min(0.98, Math.max(0.02, share)) }));
  }

  /** Its size in pixels, so many times finer than the screen. */
  protected pixels(finer: number): string {
    const [w, h] = this.map?.getSize() ?? [0, 0];
    return `${Math.round(w! * finer)} × ${Math.round(h! * finer)}`;
  }

  protected stepsBeside(): void {
    const timed = this.timed();
    if (timed) this.bench.showPanel(timed.item.id, 'moments');
  }
}
