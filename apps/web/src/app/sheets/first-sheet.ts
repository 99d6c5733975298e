import { inject, Injectable } from '@angular/core';
import type { Scale } from '@helk/core';
import { roundScale, scaleToFit } from '@helk/core/sheet/ground';
import { pageSize } from '@helk/core/sheet/pages';
import type { Frame, MapSheet, Part, PartOf } from '@helk/core/sheet/shape';
import { clientKind } from '../kinds';
import { Backgrounds } from '../state/backgrounds';
import { BenchStore } from '../state/bench.store';
import { Looks } from '../state/looks';
import type { Pane } from '../state/panes';
import { MAP } from '../state/panes';
import { extentOfAll, ProjectStore, type DatasetItem } from '../state/project.store';
import { Views } from '../state/views';
import { keyItems } from './parts/key';
import { FrameArtist } from './frame-artist';
import { MM } from './paper';
import { TEMPLATES, type TemplateId } from './templates';

/** Makes sheets of what is on the workbench. */
@Injectable({ providedIn: 'root' })
export class FirstSheet {
  private readonly store = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  private readonly backgrounds = inject(Backgrounds);
  private readonly looks = inject(Looks);
  private readonly views = inject(Views);
  private readonly artist = inject(FrameArtist);

  /** Layers of a pane as they are drawn at this moment. */
  layersOf(pane: Pane): Frame['layers'] {
    const scales = this.bench.scales();
    return pane.layers.flatMap((l) => {
      const d = this.store.datasetEntityMap()[l.dataset];
      if (!d) return [];
      const scale: Scale | null = scales.get(`${pane.id}/${d.id}`) ?? null;
      return [
        {
          dataset: d.id,
          visible: l.visible,
          look: this.looks.of(d, l) as Record<string, unknown>,
          scale: scale as never,
        },
      ];
    });
  }

  /** A dataset by itself, as it is drawn at this moment. */
  layerOf(d: DatasetItem): Frame['layers'][number] {
    const look = this.looks.of(d);
    const scale = clientKind(d.info).scale?.(d.info as never, look)?.scale ?? null;
    return { dataset: d.id, visible: true, look: look as Record<string, unknown>, scale: scale as never };
  }

  /** Maps among the panes that show something. */
  readonly maps = (): Pane[] => this.bench.panes().filter((p) => p.kind === MAP && p.layers.some((l) => l.visible));

  /** Where a pane is and how large, as a frame has it: all that the pane shows is in the frame. */
  private placed(pane: Pane, box: { x: number; y: number; width: number; height: number }, id: string): Frame {
    const crs = this.store.crs();
    const place = this.views.places().find((p) => p.pane === 0 || p.pane === pane.id);
    const layers = this.layersOf(pane);
    const items = layers.flatMap((l) => this.store.datasetEntityMap()[l.dataset] ?? []);
    const extent = extentOfAll(items, crs) ?? [0, 0, 1, 1];
    const base: Frame = {
      kind: 'frame',
      id,
      ...box,
      crs,
      centre: place ? [...place.centre] : [(extent[0] + extent[2]) / 2, (extent[1] + extent[3]) / 2],
      scale: 1,
      turn: 0,
      layers,
      time: pane.time ?? null,
      edge: true,
      grid: null,
      linked: null,
      around: null,
      ground: this.backgrounds.forFrame(),
    };
    const whole = scaleToFit(
      { ...base, centre: [(extent[0] + extent[2]) / 2, (extent[1] + extent[3]) / 2] },
      extent,
      0.04,
    );
    if (!place) return { ...base, scale: roundScale(whole) };
    // A screen of so many pixels shows so much: the frame shows it too.
    const element = document.querySelector(`[data-testid="pane-${pane.id}"]`)?.getBoundingClientRect();
    const [w, h] = [element?.width || 640, element?.height || 480];
    const half = [(w * place.resolution) / 2, (h * place.resolution) / 2] as const;
    const [x, y] = place.centre;
    const seen = scaleToFit(base, [x - half[0], y - half[1], x + half[0], y + half[1]], 0);
    // What is seen whole is shown whole.
    const all =
      extent[0] >= x - half[0] && extent[2] <= x + half[0] && extent[1] >= y - half[1] && extent[3] <= y + half[1];
    return all
      ? {
          ...base,
          centre: [(extent[0] + extent[2]) / 2, (extent[1] + extent[3]) / 2],
          scale: roundScale(Math.min(whole, seen)),
        }
      : { ...base, scale: roundScale(seen) };
  }

  /** A sheet of the panes as they are, by a template. */
  async ofPanes(template: TemplateId = 'across'): Promise<MapSheet> {
    const t = TEMPLATES.find((x) => x.id === template)!;
    const page = { ...pageSize(t.page, t.across), margin: t.margin, paper: '#ffffff' };
    const panes = this.maps();
    const layout = t.layout(page, Math.max(1, panes.length));
    const frames = (panes.length ? panes : this.bench.panes().slice(0, 1)).map((p, i) =>
      this.placed(p, layout.frames[i]!, `map${i + 1}`),
    );
    // Panes that show one place go on doing so.
    const shared = this.bench.linkedView() && frames.length > 1;
    if (shared)
      for (const f of frames.slice(1))
        Object.assign(f, { linked: 'map1', scale: frames[0]!.scale, centre: frames[0]!.centre });
    const shown = frames[0]!.layers
      .filter((l) => l.visible)
      .flatMap((l) => this.store.datasetEntityMap()[l.dataset] ?? []);
    // What was made is what the sheet is about, rather than what it was made of.
    const result = shown.findLast((d) => (this.store.madeBy(d)?.method ?? 'import') !== 'import');
    const name = (result ?? shown.at(-1))?.name ?? this.store.project()?.name ?? 'Map';
    const texts: PartOf<'text'>[] = layout.texts.map((x, i) => ({
      kind: 'text',
      id: `words${i + 1}`,
      face: 'sans',
      bold: false,
      align: 'start',
      colour: '#1d282c',
      ...x,
    }));
    const parts: Part[] = [
      ...frames,
      ...frames.slice(0, layout.keys.length).map((f, i): Part => ({
        kind: 'key',
        id: `key${i + 1}`,
        ...layout.keys[i]!,
        frame: f.id,
        columns: layout.columns,
        size: t.letters,
        hidden: [],
        order: [],
        words: {},
      })),
      { kind: 'bar', id: 'bar', ...layout.bar, frame: 'map1', unit: 'metric', parts: 4 },
      { kind: 'north', id: 'north', ...layout.north, frame: 'map1', of: 'grid', told: true },
      ...texts,
    ];
    const sheet: MapSheet = { format: 'helk-sheet', version: 1, name, page, parts, many: null };
    return this.keysFit(sheet);
  }

  /** Keys in letters as large as there is room for, and no longer than they need to be. */
  private async keysFit(sheet: MapSheet): Promise<MapSheet> {
    const frames = new Map(sheet.parts.flatMap((p) => (p.kind === 'frame' ? [[p.id, p] as const] : [])));
    const parts = await Promise.all(
      sheet.parts.map(async (p) => {
        if (p.kind !== 'key') return p;
        const all = (await this.artist.drawn(frames.get(p.frame)!)).keys;
        let now = p;
        while (now.size > 5 && keyItems(now, all).bottom / MM > p.y + p.height) now = { ...now, size: now.size - 0.5 };
        const bottom = keyItems(now, all).bottom / MM;
        return { ...now, height: Math.min(now.height, Math.max(5, Math.ceil(bottom - now.y + 1))) };
      }),
    );
    return { ...sheet, parts };
  }
}
