import { CdkDrag, CdkDragHandle, CdkDropList, type CdkDragDrop } from '@angular/cdk/drag-drop';
import { CdkConnectedOverlay, CdkOverlayOrigin } from '@angular/cdk/overlay';
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
import VectorLayer from 'ol/layer/Vector';
import VectorSource from 'ol/source/Vector';
import Feature from 'ol/Feature';
import { fromExtent } from 'ol/geom/Polygon';
import { getRenderPixel } from 'ol/render';
import type RenderEvent from 'ol/render/Event';
import { Stroke, Style } from 'ol/style';
import { displayUnit, formatNumber, metresPerDegree, metresPerUnit, systemOf, type RasterInfo } from '@helk/core';
import { Drawing } from '../draw/drawing';
import { RasterLayer, type Drawn } from '../draw/layers';
import { drawnBand } from '../draw/messages';
import { Preview } from '../draw/preview';
import { Sketch } from '../draw/sketch';
import { VectorDrawn, type Look } from '../draw/vectors';
import { ICONS } from '../parts/icons';
import { saveBlob } from '../parts/save';
import { BenchStore, type Layer, type Pane } from '../state/bench.store';
import { Cursor, Views } from '../state/cursor';
import { FeatureData } from '../state/feature-data';
import { Picks } from '../state/picks';
import { crsOf, extentIn, ProjectStore, type DatasetItem } from '../state/project.store';
import { sentence } from '../api/api';
import { Key } from './key';
import { paneImage } from './picture';
import { markLines, previewLines } from './preview-lines';
import { StyleEditor } from './style-editor';
import { VectorKey } from './vector-key';

type Held = { crs: string; raster: RasterLayer } | { crs: string; vector: VectorDrawn };

/** Pixels. */
const LOW = 290;

/** One pane: a map of the datasets in its stack, with key, scale, coordinates and the linked cursor. */
@Component({
  selector: 'helk-map-pane',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    NgIcon,
    Key,
    VectorKey,
    StyleEditor,
    CdkConnectedOverlay,
    CdkOverlayOrigin,
    CdkDropList,
    CdkDrag,
    CdkDragHandle,
  ],
  viewProviders: [provideIcons(ICONS)],
  templateUrl: './map-pane.html',
  host: {
    class: 'relative block min-w-0 min-h-0 overflow-hidden bg-paper',
    '[attr.data-testid]': '"pane-" + pane().id',
  },
})
export class MapPane {
  readonly pane = input.required<Pane>();
  protected readonly bench = inject(BenchStore);
  protected readonly project = inject(ProjectStore);
  private readonly drawing = inject(Drawing);
  private readonly data = inject(FeatureData);
  protected readonly picks = inject(Picks);
  protected readonly preview = inject(Preview);
  protected readonly sketch = inject(Sketch);
  private readonly views = inject(Views);
  private readonly cursor = inject(Cursor);
  private readonly target = viewChild.required<ElementRef<HTMLElement>>('map');

  private map: OlMap | null = null;
  private readonly mapMade = signal<OlMap | null>(null);
  private readonly held = new Map<string, Held>();
  private readonly seamSource = new VectorSource();
  private readonly previewSource = new VectorSource();
  /** Counts view changes so that overlays placed by coordinate follow. */
  protected readonly moved = signal(0);
  protected readonly editing = signal<string | null>(null);
  protected readonly here = signal<{ text: string; unit: string } | null>(null);
  protected readonly active = computed(() => this.bench.activePane() === this.pane().id);

  /** A pane so low that open keys would cover its picture. */
  protected readonly low = computed(() => {
    this.moved();
    return (this.mapMade()?.getSize()?.[1] ?? LOW) < LOW;
  });

  protected readonly layers = computed(() =>
    this.pane()
      .layers.map((layer) => ({ layer, item: this.project.datasetEntityMap()[layer.dataset]! }))
      .filter((l) => l.item !== undefined),
  );
  /** Rasters with a key, the top one first. */
  protected readonly keys = computed(() => {
    const scales = this.bench.scales();
    const held = [...scales.values()];
    return this.layers()
      .filter(
        (l) =>
          l.layer.raster?.visible &&
          l.item.info.kind === 'raster' &&
          scales.has(`${this.pane().id}/${l.layer.dataset}`),
      )
      .map((l) => {
        const band = (l.item.info as RasterInfo).bands[0]!;
        return {
          id: l.layer.dataset,
          name: l.item.name,
          unit: band.unit,
          unplaced: crsOf(l.item.info) === null,
          facts: band.facts!,
          style: l.layer.raster!,
          scale: scales.get(`${this.pane().id}/${l.layer.dataset}`)!,
          // One scale drawn in several places is one object.
          shared: held.filter((s) => s === scales.get(`${this.pane().id}/${l.layer.dataset}`)).length > 1,
        };
      })
      .reverse();
  });
  protected readonly topRaster = computed(() => [...this.layers()].reverse().find((l) => l.layer.raster?.visible));
  protected readonly mosaicTiles = computed((): DatasetItem[] => {
    for (const { item } of this.layers()) {
      const run = item.runId ? this.project.runEntityMap()[item.runId] : undefined;
      if (run?.method === 'raster.mosaic')
        return (run.inputs['tiles'] ?? []).map((id) => this.project.datasetEntityMap()[id]!).filter(Boolean);
    }
    return [];
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
    const all = [
      ...this.bench.pins().map((p) => ({ ...p, pinned: true })),
      ...(this.bench.readout() ? [{ ...this.bench.readout()!, pinned: false }] : []),
    ];
    return all.map((m) => ({ ...m, at: this.map?.getPixelFromCoordinate([m.x, m.y]) })).filter((m) => m.at);
  });
  protected readonly scaleBar = computed(() => {
    this.moved();
    const view = this.map?.getView();
    const r = view?.getResolution();
    if (!r) return null;
    const crs = this.project.crs();
    const metres = r * (crs.geographic ? metresPerDegree(view!.getCenter()?.[1] ?? 0)[0] : metresPerUnit(crs));
    const most = 84 * metres;
    const power = 10 ** Math.floor(Math.log10(most));
    const length = [5, 2, 1].map((m) => m * power).find((l) => l <= most)!;
    return { width: length / metres, text: length >= 1000 ? `${length / 1000} km` : `${length} m` };
  });

  /** What listens to the view that the pane looks through. */
  private listening: EventsKey | null = null;

  constructor() {
    effect(() => {
      const project = this.project.project();
      if (!project) return;
      const view = this.views.for(
        this.pane().id,
        this.bench.linkedView(),
        this.project.crs(),
        untracked(this.project.extent),
        project.id,
      );
      const map = (this.map ??= this.makeMap());
      if (map.getView() !== view) {
        map.setView(view);
        // Panes share views, and views outlive panes: a pane that goes or turns to another view stops listening.
        if (this.listening) unByKey(this.listening);
        this.listening = view.on('change', () => this.moved.update((n) => n + 1));
        this.fitFresh(map);
      }
      this.moved.update((n) => n + 1);
    });
    effect(() => this.sync());
    effect(() => this.drawSeams());
    effect(() => this.drawPreview());
    this.sketch.attach(this.mapMade);
    // The value under the linked cursor, of the top raster; only the latest place is answered.
    let wanted = 0;
    effect(() => {
      const c = this.cursor.at();
      const top = this.topRaster();
      const project = this.project.project();
      const turn = ++wanted;
      if (!c || !top || !project || (!this.bench.linkedCursor() && c.pane !== this.pane().id)) {
        this.here.set(null);
        return;
      }
      const info = top.item.info as RasterInfo;
      void this.drawing
        .value({
          kind: 'value',
          source: drawnBand(project.id, top.item.id, info),
          crs: this.project.crs(),
          x: c.x,
          y: c.y,
        })
        .then(
          (v) => {
            if (turn === wanted)
              this.here.set(
                v.value === null
                  ? null
                  : v.value !== v.value
                    ? { text: 'missing', unit: '' }
                    : { text: formatNumber(v.value, 100), unit: displayUnit(info.bands[0]!.unit) },
              );
          },
          () => undefined,
        );
    });
    inject(DestroyRef).onDestroy(() => {
      if (this.listening) unByKey(this.listening);
      for (const h of this.held.values()) this.release(h);
      this.held.clear();
      this.map?.setTarget(undefined);
      this.map?.dispose();
    });
  }

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
      this.bench.set({ readout: { x: e.coordinate[0]!, y: e.coordinate[1]! }, activePane: this.pane().id });
      this.pickAt(e.pixel, e.originalEvent as PointerEvent);
    });
    map.on('change:size', () => {
      this.fitFresh(map);
      this.moved.update((n) => n + 1);
    });
    map.addLayer(
      new VectorLayer({
        source: this.seamSource,
        zIndex: 900,
        style: new Style({ stroke: new Stroke({ color: '#d6246e', width: 1.5, lineDash: [6, 4] }) }),
      }),
    );
    map.addLayer(
      new VectorLayer({
        source: this.previewSource,
        zIndex: 950,
        style: (f) => {
          const css = getComputedStyle(document.documentElement);
          const width = f.get('width') as number;
          return [
            new Style({
              stroke: new Stroke({ color: `${css.getPropertyValue('--leaf').trim()}99`, width: width + 1.2 }),
            }),
            new Style({
              stroke: new Stroke({ color: css.getPropertyValue(f.get('ink') as string).trim(), width }),
              zIndex: 1,
            }),
          ];
        },
      }),
    );
    this.mapMade.set(map);
    map.getViewport()!.addEventListener('pointerleave', () => this.cursor.at.set(null));
    return map;
  }

  /** A view made before its pane had a size is fitted once the pane has one; never again, wherever somebody has gone since. */
  private fitFresh(map: OlMap): void {
    const view = map.getView();
    const extent = untracked(this.project.extent);
    if (!view.get('fresh') || !extent || !map.getSize()?.[0]) return;
    view.unset('fresh');
    view.fit(extent, { size: map.getSize()!, padding: [40, 16, 30, 16] });
  }

  /** Brings the map's layers in line with the stack. */
  private sync(): void {
    const project = this.project.project();
    const crs = this.project.crs();
    const scales = this.bench.scales();
    const dark = this.bench.dark();
    const layers = this.layers();
    const map = this.map;
    if (!map || !project) return;
    const css = getComputedStyle(document.documentElement);
    const token = (name: string): string => css.getPropertyValue(name).trim();
    const wanted = new Set<string>();
    const top = this.topRaster();
    const below = (top && scales.get(`${this.pane().id}/${top.item.id}`)) ?? null;
    layers.forEach(({ layer, item }, z) => {
      wanted.add(item.id);
      let h = this.held.get(item.id);
      // Made anew when the pane's system changes, and when the dataset is given one.
      const systems = `${crs.proj4} ${systemOf(item.info)?.proj4 ?? ''}`;
      if (h && h.crs !== systems) {
        this.release(h);
        this.held.delete(item.id);
        h = undefined;
      }
      if (layer.raster && item.info.kind === 'raster') {
        const scale = scales.get(`${this.pane().id}/${item.id}`);
        if (!scale) return;
        const missing = dark
          ? { ink: [255, 111, 165], ground: [58, 29, 42], faint: [60, 68, 69] }
          : { ink: [214, 36, 110], ground: [253, 238, 244], faint: [216, 207, 190] };
        const range = this.picks.range();
        const ink: [number, number, number] = dark ? [255, 111, 165] : [214, 36, 110];
        const pick = range?.dataset === item.id ? { low: range.low, high: range.high, ink } : null;
        const drawn: Drawn = {
          scale,
          style: layer.raster,
          missing,
          gaps: item.info.bands[0]!.facts?.gapBoxes ?? [],
          pick,
        };
        let raster = h && 'raster' in h ? h.raster : undefined;
        if (raster) raster.update(drawn);
        else {
          raster = new RasterLayer(this.drawing, project.id, item.id, item.info, crs, drawn);
          this.held.set(item.id, { raster, crs: systems });
          raster.layer.on('prerender', (e) => this.clipSwipe(e, item.id));
          raster.layer.on('postrender', (e) => {
            if (this.isSwiped(item.id)) (e.context as CanvasRenderingContext2D).restore();
          });
          map.addLayer(raster.layer);
        }
        raster.layer.setOpacity(layer.raster.opacity);
        raster.layer.setVisible(layer.raster.visible);
        raster.layer.setZIndex(z);
      } else if (layer.vector && item.info.kind === 'features') {
        const look: Look = {
          style: layer.vector,
          picked: this.picks.of(item.id),
          pick: token('--pick'),
          ink: token('--ink'),
          paper: token('--leaf'),
          scale: below,
        };
        let vector = h && 'vector' in h ? h.vector : undefined;
        if (vector) vector.update(look);
        else {
          const made = (vector = new VectorDrawn(map, crs, look));
          this.held.set(item.id, { vector, crs: systems });
          void this.data.get(item.id).then(
            (f) => {
              const h = this.held.get(item.id);
              // The layer may have been taken out while its features were on their way.
              if (f.kind !== 'features' || !h || !('vector' in h) || h.vector !== made) return;
              made.fill(f, crs);
              this.drawn.update((n) => n + 1);
            },
            (e: unknown) => this.project.notify(sentence(e), 'refused'),
          );
        }
        vector.setZIndex(z);
      }
    });
    for (const [id, h] of this.held) {
      if (wanted.has(id)) continue;
      this.release(h);
      this.held.delete(id);
    }
    map.render();
    untracked(() => this.drawn.update((n) => n + 1));
  }

  private release(h: Held): void {
    if ('raster' in h) this.map?.removeLayer(h.raster.layer);
    else h.vector.dispose();
  }

  /** Counts what changes legends of features. */
  private readonly drawn = signal(0);
  /** Features with their legends, the top one first. */
  protected readonly vectors = computed(() => {
    this.drawn();
    return this.layers()
      .filter((l) => l.layer.vector?.visible)
      .map((l) => {
        const h = this.held.get(l.item.id);
        return { layer: l.layer, item: l.item, symbols: h && 'vector' in h ? h.vector.legend : null };
      })
      .reverse();
  });

  /** Picks the feature under the pointer, of the topmost dataset that has one there. */
  private pickAt(pixel: number[], e: PointerEvent): void {
    for (const { item } of [...this.layers()].reverse()) {
      const h = this.held.get(item.id);
      if (!h || !('vector' in h) || item.info.kind !== 'features') continue;
      const i = h.vector.at(pixel);
      if (i < 0) continue;
      const rows = new Uint8Array(item.info.count);
      rows[i] = 1;
      const was = this.picks.of(item.id)?.[i] === 1;
      this.picks.pick(
        item.id,
        rows,
        e.shiftKey || e.ctrlKey || e.metaKey ? (was ? 'remove' : 'add') : this.picks.mode(),
      );
      this.bench.select(item.id);
      return;
    }
  }

  /** The preview belongs where its grid is seen, or in the active pane where it is seen nowhere. */
  protected readonly previewed = computed(() => {
    const p = this.preview.shown();
    if (!p) return null;
    const seen = this.bench.panes().filter((x) => x.layers.some((l) => l.dataset === p.dataset));
    return (seen.length ? seen.some((x) => x.id === this.pane().id) : this.active()) ? p : null;
  });

  /** Lines that nothing has computed for good yet, the steepest stretch of a profile, the reach of a variogram. */
  private drawPreview(): void {
    const shown = this.previewed();
    const item = shown ? this.project.datasetEntityMap()[shown.dataset] : undefined;
    const crs = this.project.crs();
    this.previewSource.clear();
    this.previewSource.addFeatures([
      ...(shown && item ? previewLines(shown, item, crs) : []),
      ...markLines(this.cursor.stretch(), this.cursor.ring(), crs),
    ]);
  }

  private isSwiped(id: string): boolean {
    return this.pane().swipe !== null && this.topRaster()?.item.id === id;
  }

  private clipSwipe(e: RenderEvent, id: string): void {
    if (!this.isSwiped(id)) return;
    const g = e.context as CanvasRenderingContext2D;
    const [w, h] = this.map!.getSize() as [number, number];
    const x = w * this.pane().swipe!;
    const corners = [
      [x, 0],
      [w, 0],
      [w, h],
      [x, h],
    ].map((p) => getRenderPixel(e, p));
    g.save();
    g.beginPath();
    corners.forEach((p, i) => (i ? g.lineTo(p[0]!, p[1]!) : g.moveTo(p[0]!, p[1]!)));
    g.closePath();
    g.clip();
  }

  private drawSeams(): void {
    const tiles = this.bench.seams() ? this.mosaicTiles() : [];
    const crs = this.project.crs();
    this.seamSource.clear();
    for (const t of tiles) {
      const e = extentIn(t.info, crs);
      if (e) this.seamSource.addFeature(new Feature(fromExtent(e)));
    }
  }

  protected focus(): void {
    if (!this.active()) this.bench.set({ activePane: this.pane().id });
  }

  protected pickChip(layer: Layer): void {
    this.focus();
    this.bench.select(layer.dataset);
    this.editing.set(this.editing() === layer.dataset ? null : layer.dataset);
  }

  protected toggle(layer: Layer): void {
    if (layer.raster) this.bench.restyle(this.pane().id, layer.dataset, { visible: !layer.raster.visible });
    else if (layer.vector) this.bench.redraw(this.pane().id, layer.dataset, { visible: !layer.vector.visible });
  }

  protected isVisible(layer: Layer): boolean {
    return layer.raster?.visible ?? layer.vector?.visible ?? true;
  }

  protected drop(e: CdkDragDrop<unknown>): void {
    if (e.previousIndex !== e.currentIndex) this.bench.reorder(this.pane().id, e.previousIndex, e.currentIndex);
  }

  protected zoom(factor: number): void {
    const v = this.map?.getView();
    v?.animate({ resolution: (v.getResolution() ?? 1) * factor, duration: 120 });
  }

  /** All of the active dataset, or of everything. */
  protected fit(): void {
    const item = this.layers().find((l) => l.layer.dataset === this.bench.selected())?.item ?? this.layers()[0]?.item;
    const e = item ? extentIn(item.info, this.project.crs()) : this.project.extent();
    if (e) this.map?.getView().fit(e, { size: this.map.getSize()!, padding: [40, 16, 30, 16], duration: 150 });
  }

  protected toggleSwipe(): void {
    this.bench.change(this.pane().id, (p) => ({ ...p, swipe: p.swipe === null ? 0.5 : null }));
    this.map?.render();
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
    this.map?.render();
  }

  protected async picture(): Promise<void> {
    if (!this.map) return;
    const dark = this.bench.dark();
    const blob = await paneImage(this.map, {
      title: this.layers()
        .filter((l) => this.isVisible(l.layer))
        .map((l) => l.item.name)
        .join(' + '),
      project: this.project.project()?.name ?? '',
      crs: `${this.project.crs().code ?? ''} ${this.project.crs().name}`.trim(),
      keys: this.keys(),
      legends: this.vectors().map((v) => ({
        name: v.item.name,
        entries: v.symbols?.legend.length ? v.symbols.legend : [{ colour: v.layer.vector!.colour, text: '' }],
      })),
      bar: this.scaleBar(),
      ink: dark ? '#ece7db' : '#1d282c',
      paper: dark ? '#171b1c' : '#f6f2e9',
    });
    saveBlob(blob, `${this.layers().at(-1)?.item.name ?? 'pane'}.png`);
  }
}
