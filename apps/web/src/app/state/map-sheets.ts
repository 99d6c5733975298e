import { computed, effect, inject, Injectable, signal, untracked } from '@angular/core';
import { FreeNames } from '@helk/core';
import type { ApiSheet } from '@helk/core/api/schemas';
import { sheetFrom, type MapSheet, type Part } from '@helk/core/sheet/shape';
import { Api } from '../api/api';
import { Desk } from './desk';
import { ProjectStore } from './project.store';

/** How long after the last change a sheet is kept, ms. */
const KEEP = 500;
const MOST_BACK = 200;

interface Draft {
  now: MapSheet;
  before: MapSheet[];
  after: MapSheet[];
  /** What the last change was of: changes of one kind that follow each other are taken back as one. */
  of: string | null;
}

/** The map sheets of a project, and the one that lies on the desk, as it is being made. */
@Injectable({ providedIn: 'root' })
export class MapSheets {
  private readonly store = inject(ProjectStore);
  private readonly desk = inject(Desk);
  private readonly api = inject(Api);
  private readonly drafts = signal<Readonly<Record<string, Draft>>>({});
  private readonly timers = new Map<string, ReturnType<typeof setTimeout>>();
  /** Parts that are chosen. */
  readonly chosen = signal<readonly string[]>([]);

  readonly id = computed(() => {
    const l = this.desk.lying();
    return l?.what === 'sheet' ? l.id : null;
  });
  private readonly entry = computed((): ApiSheet | undefined => this.store.sheets().find((s) => s.id === this.id()));
  readonly sheet = computed((): MapSheet | undefined => {
    const e = this.entry();
    return e && (this.drafts()[e.id]?.now ?? e.sheet);
  });
  private readonly draft = computed(() => this.drafts()[this.id() ?? '']);
  readonly canUndo = computed(() => (this.draft()?.before.length ?? 0) > 0);
  readonly canRedo = computed(() => (this.draft()?.after.length ?? 0) > 0);
  readonly parts = computed((): Part[] => {
    const chosen = this.chosen();
    return this.sheet()?.parts.filter((p) => chosen.includes(p.id)) ?? [];
  });

  constructor() {
    effect(() => {
      this.id();
      untracked(() => this.chosen.set([]));
    });
    let project = '';
    effect(() => {
      const id = this.store.project()?.id ?? '';
      if (project && id !== project) untracked(() => this.drafts.set({}));
      project = id || project;
    });
  }

  /** Changes the sheet on the desk. @param of changes that go on with the last one of that name are taken back with it */
  change(how: (s: MapSheet) => MapSheet, of: string | null = null): void {
    const [id, now] = [this.id(), this.sheet()];
    if (!id || !now) return;
    const next = how(now);
    if (next === now) return;
    const d = this.drafts()[id] ?? { now, before: [], after: [], of: null };
    const goesOn = of !== null && d.of === of;
    this.put(id, { now: next, before: goesOn ? d.before : [...d.before, now].slice(-MOST_BACK), after: [], of });
  }

  changePart(id: string, how: (p: Part) => Part, of: string | null = null): void {
    this.change((s) => ({ ...s, parts: s.parts.map((p) => (p.id === id ? how(p) : p)) }), of && `${id} ${of}`);
  }

  /** What comes next is a change of its own. */
  settle(): void {
    const [id, d] = [this.id(), this.draft()];
    if (id && d?.of) this.drafts.update((all) => ({ ...all, [id]: { ...d, of: null } }));
  }

  undo(): void {
    const [id, d] = [this.id(), this.draft()];
    const last = d?.before.at(-1);
    if (id && d && last)
      this.put(id, { now: last, before: d.before.slice(0, -1), after: [d.now, ...d.after], of: null });
  }

  redo(): void {
    const [id, d] = [this.id(), this.draft()];
    const [next, ...rest] = d?.after ?? [];
    if (id && d && next) this.put(id, { now: next, before: [...d.before, d.now], after: rest, of: null });
  }

  private put(id: string, draft: Draft): void {
    this.drafts.update((all) => ({ ...all, [id]: draft }));
    const there = new Set(draft.now.parts.map((p) => p.id));
    this.chosen.update((c) => (c.every((x) => there.has(x)) ? c : c.filter((x) => there.has(x))));
    clearTimeout(this.timers.get(id));
    this.timers.set(
      id,
      setTimeout(() => void this.keep(id), KEEP),
    );
  }

  private async keep(id: string): Promise<void> {
    const [p, d] = [this.store.project(), this.drafts()[id]];
    if (!p || !d) return;
    await this.store.guarded(async () => this.store.written({ sheets: [await this.api.saveSheet(p.id, id, d.now)] }));
  }

  async begin(sheet: MapSheet): Promise<string | null> {
    const p = this.store.project();
    if (!p) return null;
    const name = new FreeNames(this.store.sheets().map((s) => s.sheet.name)).take(sheet.name);
    const made = await this.store.guarded(() => this.api.createSheet(p.id, { ...sheet, name }));
    if (!made) return null;
    this.store.written({ sheets: [made] });
    this.desk.lay({ what: 'sheet', id: made.id });
    return made.id;
  }

  async openFile(file: File): Promise<void> {
    await this.store.guarded(async () => {
      let raw: unknown;
      try {
        raw = JSON.parse(await file.text());
      } catch {
        throw new Error(`“${file.name}” is no map sheet: it is not JSON.`);
      }
      await this.begin(sheetFrom(raw));
    });
  }

  async remove(id: string, name: string): Promise<void> {
    const p = this.store.project();
    if (!p) return;
    await this.store.guarded(async () => {
      await this.api.deleteSheet(p.id, id);
      if (this.id() === id) this.desk.clear();
      this.store.unwritten([id]);
      this.store.notify(`“${name}” was removed.`, 'fine', () => {
        void this.store.guarded(async () => this.store.written({ sheets: [await this.api.restoreSheet(p.id, id)] }));
      });
    });
  }
}
