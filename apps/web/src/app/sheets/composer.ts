import { inject, Injectable } from '@angular/core';
import { datasetsIn } from '@helk/core/api/refs';
import { greysOf } from '@helk/core/render/meanings';
import { scaleText } from '@helk/core/sheet/ground';
import { followed, framesOf, type Frame, type MapSheet } from '@helk/core/sheet/shape';
import { Api } from '../api/api';
import { plainColour, type Greys } from '../draw/grey';
import { addAll, lettersReady, type DisplayItem, type DisplayList } from '../draw/display';
import { Findings } from '../state/findings';
import { ProjectStore } from '../state/project.store';
import { FrameArtist } from './frame-artist';
import { recordOf } from './parts';
import type { PartCheck, PartContext, Spot } from './parts/part';
import { MM } from './paper';

/** Puts sheets together: every part drawn by its record, from back to front. */
@Injectable({ providedIn: 'root' })
export class Composer {
  private readonly store = inject(ProjectStore);
  private readonly artist = inject(FrameArtist);
  private readonly findings = inject(Findings);
  private readonly api = inject(Api);
  private readonly pictures = new Map<string, Promise<ImageBitmap | null>>();

  /** @param more what fields stand for beside what is known of the sheet */
  context(
    sheet: MapSheet,
    o: { editing?: boolean; more?: ReadonlyMap<string, string>; spot?: Spot | null } = {},
  ): PartContext {
    const frames = framesOf(sheet);
    const all = new Map(frames.map((f) => [f.id, followed(f, frames)]));
    let values: ReadonlyMap<string, string> | null = null;
    return {
      sheet,
      frame: (id) => all.get(id),
      drawing: (f) => this.artist.drawn(f),
      finding: (id) => this.findings.all().find((f) => f.id === id),
      found: (id) => {
        const f = this.findings.all().find((x) => x.id === id);
        return f ? this.findings.drawing(f) : Promise.resolve(null);
      },
      picture: (id) => this.picture(id),
      values: () => (values ??= new Map([...this.values(sheet, [...all.values()]), ...(o.more ?? [])])),
      editing: o.editing ?? false,
      spot: o.spot ?? null,
    };
  }

  /** The sheet as a drawing of its page. What is to be made of it is made by whoever knows how fine. */
  async list(ctx: PartContext): Promise<DisplayList> {
    const { page, parts } = ctx.sheet;
    const [width, height] = [page.width * MM, page.height * MM];
    const items: DisplayItem[] = [{ kind: 'box', x: 0, y: 0, width, height, fill: page.paper }];
    const drawn = await Promise.all(parts.map((p) => recordOf(p).draw(p as never, ctx)));
    for (const d of drawn) addAll(items, d);
    const list = { width, height, items };
    await lettersReady(list);
    return list;
  }

  /** Greys for the classes that the maps of a sheet show, each its own. */
  async greys(ctx: PartContext): Promise<Greys> {
    const drawn = await Promise.all(framesOf(ctx.sheet).map((f) => ctx.drawing(ctx.frame(f.id) ?? f)));
    const legends = drawn.flatMap((d) => d.keys.map((k) => k.legend)).filter((l) => l.entries.length > 1);
    const labels = legends.flatMap((l) => l.entries.map((e) => e.text));
    const colours = legends.flatMap((l) => l.entries.map((e) => plainColour(e.colour)));
    const greys = greysOf(labels, colours);
    return new Map(colours.map((c, i) => [c, greys[i]!]));
  }

  async checks(ctx: PartContext): Promise<PartCheck[]> {
    const all = await Promise.all(ctx.sheet.parts.map((p) => recordOf(p).checks?.(p as never, ctx) ?? []));
    const { page, parts } = ctx.sheet;
    const out = parts
      .filter((p) => p.x < -0.1 || p.y < -0.1 || p.x + p.width > page.width + 0.1 || p.y + p.height > page.height + 0.1)
      .map((p): PartCheck => ({
        part: p.id,
        text: `${recordOf(p).label} reaches beyond the page; what is outside is not printed.`,
      }));
    return [...all.flat(), ...out];
  }

  private picture(id: string): Promise<ImageBitmap | null> {
    const p = this.store.project();
    if (!p) return Promise.resolve(null);
    let job = this.pictures.get(id);
    if (!job) {
      job = this.api.picture(p.id, id).then((b) => createImageBitmap(b));
      job.catch(() => this.pictures.delete(id));
      this.pictures.set(id, job);
    }
    return job;
  }

  /** What fields of texts stand for: of the frame that shows most, what it shows and where that came from. */
  private values(sheet: MapSheet, frames: readonly Frame[]): Map<string, string> {
    const size = (f: Frame): number => (f.around ? 0 : f.width * f.height);
    const main = [...frames].sort((a, b) => size(b) - size(a))[0];
    const out = new Map<string, string>();
    const shown = main?.layers.filter((l) => l.visible).map((l) => l.dataset) ?? [];
    const items = shown.flatMap((id) => this.store.datasetEntityMap()[id] ?? []);
    for (const d of items) {
      const r = this.store.madeBy(d);
      if (!r) continue;
      const units = this.findings.figuresOfRun(r);
      for (const f of units) out.set(f.label, f.text);
    }
    out.set('sheet', sheet.name);
    out.set('project', this.store.project()?.name ?? '');
    out.set('date', new Date().toISOString().slice(0, 10));
    if (main) {
      out.set('scale', scaleText(main.scale));
      out.set('system', [main.crs.code, main.crs.name].filter(Boolean).join(', '));
      out.set(
        'layers',
        [...items]
          .reverse()
          .map((d) => d.name)
          .join(', '),
      );
      out.set('source', this.sourcesOf(shown).join(', '));
      const made = items.map((d) => this.store.madeBy(d)).filter((r) => r && r.method !== 'import');
      out.set('method', [...new Set(made.map((r) => r!.title))].join(', '));
    }
    return out;
  }

  /** Files that some datasets go back to. */
  private sourcesOf(ids: readonly string[]): string[] {
    const seen = new Set<string>();
    const out = new Set<string>();
    const look = (id: string): void => {
      if (seen.has(id)) return;
      seen.add(id);
      const d = this.store.datasetEntityMap()[id];
      if (!d) return;
      if (d.source) out.add(d.source.file);
      const run = d.runId ? this.store.runEntityMap()[d.runId] : undefined;
      if (run && run.method !== 'import') datasetsIn(run.inputs).forEach(look);
    };
    ids.forEach(look);
    return [...out];
  }
}
