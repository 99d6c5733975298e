import { computed, effect, inject, Injectable, signal, untracked } from '@angular/core';
import { FreeNames } from '@helk/core';
import type { ApiSheet } from '@helk/core/api/schemas';
import { sheetFrom, type MapSheet, type Part } from '@helk/core/sheet/shape';
import { Api } from '../api/api';
import { jsonIn } from '../parts/save';
import { Desk } from './desk';
import { KeptDrafts } from './kept-drafts';
import { ProjectStore } from './project.store';

/** The map sheets of a project, and the one that lies on the desk, as it is being made. */
@Injectable({ providedIn: 'root' })
export class MapSheets {
  private readonly store = inject(ProjectStore);
  private readonly desk = inject(Desk);
  private readonly api = inject(Api);
  private readonly drafts = new KeptDrafts<MapSheet>(
    async (id, sheet) => {
      const p = this.store.project();
      if (p)
        await this.store.guarded(async () =>
          this.store.written({ sheets: [await this.api.saveSheet(p.id, id, sheet)] }),
        );
    },
    (sheet) => {
      const there = new Set(sheet.parts.map((p) => p.id));
      this.chosen.update((c) => (c.every((x) => there.has(x)) ? c : c.filter((x) => there.has(x))));
    },
  );
  /** Parts that are chosen. */
  readonly chosen = signal<readonly string[]>([]);

  readonly id = computed(() => {
    const l = this.desk.lying();
    return l?.what === 'sheet' ? l.id : null;
  });
  private readonly entry = computed((): ApiSheet | undefined => this.store.sheets().find((s) => s.id === this.id()));
  readonly sheet = computed((): MapSheet | undefined => {
    const e = this.entry();
    return e && (this.drafts.now(e.id) ?? e.sheet);
  });
  readonly canUndo = computed(() => this.drafts.canUndo(this.id() ?? ''));
  readonly canRedo = computed(() => this.drafts.canRedo(this.id() ?? ''));
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
      if (project && id !== project) untracked(() => this.drafts.clear());
      project = id || project;
    });
  }

  /** Changes the sheet on the desk. @param of changes that go on with the last one of that name are taken back with it */
  change(how: (s: MapSheet) => MapSheet, of: string | null = null): void {
    const [id, now] = [this.id(), this.sheet()];
    if (id && now) this.drafts.change(id, now, how, of);
  }

  changePart(id: string, how: (p: Part) => Part, of: string | null = null): void {
    this.change((s) => ({ ...s, parts: s.parts.map((p) => (p.id === id ? how(p) : p)) }), of && `${id} ${of}`);
  }

  /** What comes next is a change of its own. */
  settle(): void {
    this.drafts.settle(this.id() ?? '');
  }

  undo(): void {
    this.drafts.undo(this.id() ?? '');
  }

  redo(): void {
    this.drafts.redo(this.id() ?? '');
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
      await this.begin(sheetFrom(await jsonIn(file, 'map sheet')));
    });
  }

  async remove(id: string, name: string): Promise<void> {
    const away = await this.store.putAway(id, `“${name}” was removed.`, (p) => this.api.deleteSheet(p, id));
    if (away && this.id() === id) this.desk.clear();
  }
}
