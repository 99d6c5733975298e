import { computed, inject, Injectable } from '@angular/core';
import { systemText, type Crs } from '@helk/core';
import type { ApiRun } from '@helk/core/api/schemas';
import { DrawingShape } from '@helk/core/sheet/drawing';
import { outdatedWords, standOf, type Finding, type FindingBodyOf } from '@helk/core/sheet/finding';
import { Api } from '../api/api';
import type { DisplayItem, DisplayList } from '../draw/display';
import { BenchStore } from './bench.store';
import { figuresOf, type FigureTold } from './figures';
import { Looks } from './looks';
import type { Pane } from './panes';
import { Picks } from './picks';
import { ProjectStore, type DatasetItem } from './project.store';
import { Seeing } from './seeing';
import { staleOf } from '@helk/core/recipe/stale';
import { Views, type Place } from './views';

/** Rows picked beyond which they are not remembered one by one. */
const MOST_PICKED = 20_000;
/** Between panes in the drawing of several, pixels. */
const GAP = 8;

/** How panes are shown again. */
export interface SeenPanes extends Record<string, unknown> {
  panes: Pane[];
  activePane: number;
  selected: string | null;
  linkedView: boolean;
  linkedCursor: boolean;
  linkedTime: boolean;
  sharedScale: boolean;
  crs: Crs;
  places: Place[];
  picks: Record<string, number[]>;
}

/** What has become of something a finding rests on. */
export interface Outdated {
  words: string;
}

/** Things that were seen and are kept: pinned, listed, shown again as they were, and known to be out of date when what they rest on has changed. */
@Injectable({ providedIn: 'root' })
export class Findings {
  private readonly store = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  private readonly looks = inject(Looks);
  private readonly picks = inject(Picks);
  private readonly views = inject(Views);
  private readonly seeing = inject(Seeing);
  private readonly api = inject(Api);
  private readonly drawings = new Map<string, Promise<DisplayList | null>>();

  readonly all = this.store.findings;
  private readonly stale = computed(() => staleOf(this.store.datasetEntities(), this.store.runEntityMap()));

  /** Findings that rest on what is not so any more, with what has changed. */
  readonly outdated = computed((): ReadonlyMap<string, Outdated> => {
    const there = this.store.datasetEntityMap();
    const out = new Map<string, Outdated>();
    for (const f of this.all()) {
      const words = outdatedWords(f, there, this.stale());
      if (words) out.set(f.id, { words });
    }
    return out;
  });

  /** Figures of a run as a person reads them. */
  readonly figuresOfRun = (run: ApiRun): FigureTold[] => figuresOf(run, this.store);

  private rests(ids: Iterable<string>): FindingBodyOf['rests'] {
    return [...new Set(ids)].flatMap((id) => {
      const d = this.store.datasetEntityMap()[id];
      return d ? [{ dataset: id, name: d.name, stand: standOf(d.info) }] : [];
    });
  }

  /** Pins what somebody is looking at: the panel of evidence where they are at it, else the panes. */
  pin(): Promise<void> {
    return this.seeing.atPanel() && this.seeing.shown() ? this.pinPanel() : this.pinPanes();
  }

  async pinPanes(): Promise<void> {
    const panes = this.bench.panes().map((p) => ({
      ...p,
      // As they are drawn at this moment, whatever becomes of it elsewhere.
      layers: p.layers.flatMap((l) => {
        const d = this.store.datasetEntityMap()[l.dataset];
        return d ? [{ ...l, own: this.looks.of(d, l) }] : [];
      }),
    }));
    const shown = panes.flatMap((p) => [
      ...p.layers.filter((l) => l.visible).map((l) => l.dataset),
      ...(p.panel ? [p.panel.dataset] : []),
    ]);
    if (!shown.length) {
      this.store.notify('Nothing is shown that could be pinned.', 'refused');
      return;
    }
    const picks: Record<string, number[]> = {};
    for (const id of new Set(shown)) {
      const rows = this.picks.of(id);
      const some = rows ? [...rows.keys()].filter((i) => rows[i]) : [];
      if (some.length && some.length <= MOST_PICKED) picks[id] = some;
    }
    const seen: SeenPanes = {
      panes,
      activePane: this.bench.activePane(),
      selected: this.bench.selected(),
      linkedView: this.bench.linkedView(),
      linkedCursor: this.bench.linkedCursor(),
      linkedTime: this.bench.linkedTime(),
      sharedScale: this.bench.sharedScale(),
      crs: this.store.crs(),
      places: this.views.places(),
      picks,
    };
    await this.keep('panes', seen, shown, async () => {
      const lists = await Promise.all(panes.map((p) => this.seeing.of(p.id)?.() ?? null));
      const some = lists.filter((l) => l !== null);
      return some.length
        ? {
            list: beside(some.map((l) => l.list)),
            title: some
              .map((l) => l.title)
              .filter(Boolean)
              .join(' · '),
          }
        : null;
    });
  }

  async pinPanel(): Promise<void> {
    const make = this.seeing.shown();
    const dataset = this.bench.selected();
    if (!make || !dataset) return;
    const panel = this.bench.panel();
    const seen = { dataset, panel: panel?.dataset === dataset ? panel.panel : null };
    await this.keep('panel', seen, [dataset], make);
  }

  /** Pins the figures of a run. */
  async pinFigures(run: string): Promise<void> {
    const r = this.store.runEntityMap()[run];
    if (!r) return;
    const figures = figuresOf(r, this.store);
    await this.keep('figures', { run }, r.outputs, () =>
      Promise.resolve({ title: r.title, list: figureList(r.title, figures) }),
    );
  }

  private async keep(
    kind: string,
    seen: Record<string, unknown>,
    ids: readonly string[],
    make: () => Promise<{ list: DisplayList; title: string } | null>,
  ): Promise<void> {
    const p = this.store.project();
    if (!p) return;
    await this.store.guarded(async () => {
      const made = await make();
      const { keep } = await import('../draw/kept');
      const drawing = made ? await this.api.addPicture(p.id, new Blob([keep(made.list)])) : null;
      const runs = new Set(
        ids.map((id) => this.store.madeBy(this.store.datasetEntityMap()[id])).filter((r) => r && r.method !== 'import'),
      );
      const figures = [...runs].flatMap((r) =>
        figuresOf(r!, this.store).map((f) => ({ name: f.label, value: f.text })),
      );
      const title = (made?.title ?? '') || 'What was seen';
      const body = {
        title: title.slice(0, 300),
        note: '',
        kind,
        seen,
        rests: this.rests(ids),
        figures: figures.slice(0, 400),
        drawing,
      };
      const finding = await this.api.createFinding(p.id, body);
      this.store.written({ findings: [finding] });
      this.store.notify(`Pinned: “${finding.title}”.`, 'fine');
    });
  }

  async change(f: Finding, patch: Partial<FindingBodyOf>): Promise<void> {
    const p = this.store.project();
    if (!p) return;
    const { id, position: _p, createdAt: _c, ...body } = f;
    await this.store.guarded(async () =>
      this.store.written({ findings: [await this.api.saveFinding(p.id, id, { ...body, ...patch })] }),
    );
  }

  async order(ids: readonly string[]): Promise<void> {
    const p = this.store.project();
    if (p)
      await this.store.guarded(async () => this.store.written({ findings: await this.api.orderFindings(p.id, ids) }));
  }

  async remove(f: Finding): Promise<void> {
    await this.store.putAway(f.id, `“${f.title}” was removed.`, (p) => this.api.deleteFinding(p, f.id));
  }

  /** Shows what was seen, as it was seen; what has gone since is left out, and said. */
  show(f: Finding): void {
    const there = this.store.datasetEntityMap();
    const gone = f.rests.filter((r) => !there[r.dataset]).map((r) => `“${r.name}”`);
    if (f.kind === 'panel') {
      const { dataset, panel } = f.seen as { dataset: string; panel: string | null };
      if (there[dataset])
        this.bench.set({ selected: dataset, evidence: true, panel: panel ? { dataset, panel } : null });
    } else if (f.kind === 'figures') {
      const run = this.store.runEntityMap()[(f.seen as { run: string }).run];
      if (run)
        this.bench.set({
          sheet: {
            method: run.method,
            inputs: run.inputs,
            params: run.params,
            seed: run.seed,
            variantOf: null,
            runId: run.id,
          },
        });
    } else this.showPanes(f.seen as SeenPanes, there);
    if (gone.length)
      this.store.notify(`${gone.join(', ')} ${gone.length === 1 ? 'is' : 'are'} not there any more.`, 'refused');
  }

  private showPanes(s: SeenPanes, there: Readonly<Record<string, DatasetItem | undefined>>): void {
    const project = this.store.project()?.id ?? '';
    const crs = this.store.crs();
    this.bench.set({
      panes: s.panes.map((p) => ({ ...p, layers: p.layers.filter((l) => there[l.dataset]) })),
      activePane: s.activePane,
      selected: s.selected && there[s.selected] ? s.selected : null,
      linkedView: s.linkedView,
      linkedCursor: s.linkedCursor,
      linkedTime: s.linkedTime,
      sharedScale: s.sharedScale,
    });
    // Places are of the system that was the project's then.
    if (systemText(s.crs) === systemText(crs)) this.views.goBack(s.places, crs, project);
    for (const [id, rows] of Object.entries(s.picks)) {
      const d = there[id];
      const count = d && 'count' in d.info ? Number(d.info.count) : 0;
      if (!count) continue;
      const all = new Uint8Array(count);
      for (const r of rows) if (r < count) all[r] = 1;
      this.picks.pick(id, all, 'replace');
    }
  }

  /** How a finding looked; null where no drawing of it was kept. */
  drawing(f: Finding): Promise<DisplayList | null> {
    const p = this.store.project();
    if (!p || !f.drawing) return Promise.resolve(null);
    let job = this.drawings.get(f.drawing);
    if (!job) {
      const id = f.drawing;
      job = (async () => {
        const { unkept } = await import('../draw/kept');
        const raw: unknown = JSON.parse(await (await this.api.picture(p.id, id)).text());
        const read = DrawingShape.safeParse(raw);
        return read.success ? unkept(read.data) : null;
      })();
      job.catch(() => this.drawings.delete(id));
      this.drawings.set(id, job);
    }
    return job;
  }
}

/** Several drawings in rows of two, each as wide as it is. */
function beside(lists: readonly DisplayList[]): DisplayList {
  if (lists.length === 1) return lists[0]!;
  const items: DisplayItem[] = [];
  let [width, y] = [0, 0];
  for (let i = 0; i < lists.length; i += 2) {
    const row = lists.slice(i, i + 2);
    let x = 0;
    for (const l of row) {
      items.push({ kind: 'group', move: { x, y, scale: 1 }, items: l.items });
      x += l.width + GAP;
    }
    width = Math.max(width, x - GAP);
    y += Math.max(...row.map((l) => l.height)) + GAP;
  }
  return { width, height: y - GAP, items };
}

/** Figures of a run as a small table. */
function figureList(title: string, figures: readonly { label: string; text: string }[]): DisplayList {
  const [width, row] = [340, 19];
  const height = 44 + figures.length * row;
  const items: DisplayItem[] = [
    { kind: 'box', x: 0, y: 0, width, height, fill: '#fcfaf5' },
    { kind: 'text', x: 12, y: 22, text: title, size: 14, weight: 600, fill: '#1d282c' },
  ];
  figures.forEach((f, i) => {
    const y = 44 + i * row;
    items.push(
      { kind: 'text', x: 12, y, text: f.label, size: 12, fill: '#59656a' },
      { kind: 'text', x: width - 12, y, text: f.text, size: 12, face: 'mono', anchor: 'end', fill: '#1d282c' },
      {
        kind: 'path',
        points: [
          [12, y + 5.5],
          [width - 12, y + 5.5],
        ],
        stroke: '#ebe5d8',
        line: 1,
      },
    );
  });
  return { width, height, items };
}
