import * as z from 'zod';
import { remember, remembered } from '../parts/remembered';
import { computed, effect, inject, Injectable, signal } from '@angular/core';
import { kindOf, type DatasetKind } from '@helk/core';
import { ProjectStore, summaryOf, type DatasetItem } from './project.store';
import { threadsOf, type LedgerRow, type Thread } from './threads';

/** In which order the ledger lists. */
export type Order = 'made' | 'name' | 'newest' | 'kind' | 'checks';

/** What somebody looks for in the ledger. */
export interface Wish {
  text: string;
  kinds: readonly DatasetKind[];
  /** Key of the one thread that is listed; null for all. */
  thread: string | null;
  /** Only what a check has something to say of. */
  checked: boolean;
  order: Order;
}

export const NO_WISH: Wish = { text: '', kinds: [], thread: null, checked: false, order: 'made' };

/** A thread as it is listed: those of its rows that are looked for. */
export interface ListedThread {
  thread: Thread;
  /** Absent for a list that is in another order than that of making. */
  heading: boolean;
  folded: boolean;
  rows: LedgerRow[];
}

const words = (text: string): string[] => text.toLowerCase().split(/\s+/).filter(Boolean);

/** @param about what a dataset can be found by, in lower case; @param checks how many checks have something to say of it */
export function listed(
  threads: readonly Thread[],
  wish: Wish,
  folded: ReadonlySet<string>,
  about: (d: DatasetItem, t: Thread) => string,
  checks: (d: DatasetItem) => number,
): ListedThread[] {
  const wanted = words(wish.text);
  const narrow = wanted.length > 0 || wish.kinds.length > 0 || wish.checked;
  const fits = (d: DatasetItem, t: Thread): boolean => {
    if (wish.kinds.length && !wish.kinds.includes(d.info.kind)) return false;
    if (wish.checked && !checks(d)) return false;
    if (!wanted.length) return true;
    const text = about(d, t);
    return wanted.every((w) => text.includes(w));
  };
  const alone = (row: LedgerRow, items: DatasetItem[]): LedgerRow => ({
    ...row,
    items,
    depth: 0,
    more: false,
    root: true,
  });
  const found = threads
    .filter((t) => wish.thread === null || t.key === wish.thread)
    .map((thread) => {
      const rows = thread.rows.flatMap((row) => {
        const items = row.items.filter((d) => fits(d, thread));
        return items.length ? [{ row, items }] : [];
      });
      return { thread, rows };
    })
    .filter((t) => t.rows.length);
  if (wish.order === 'made')
    return found.map(({ thread, rows }) => ({
      thread,
      heading: true,
      // What is looked for is not hidden.
      folded: folded.has(thread.key) && !narrow,
      // Lines from row to row only make sense where no row between them is left out.
      rows: narrow ? rows.map(({ row, items }) => alone(row, items)) : rows.map(({ row }) => row),
    }));
  const flat = found.flatMap(({ thread, rows }) =>
    rows.flatMap(({ row, items }) => items.map((d) => ({ thread, row: { ...alone(row, [d]), key: d.id } }))),
  );
  const first = (r: (typeof flat)[number]): DatasetItem => r.row.items[0]!;
  const byName = (a: DatasetItem, b: DatasetItem): number => a.name.localeCompare(b.name, 'en', { numeric: true });
  const by: Record<Exclude<Order, 'made'>, (a: DatasetItem, b: DatasetItem) => number> = {
    name: byName,
    newest: (a, b) => b.createdAt.localeCompare(a.createdAt),
    kind: (a, b) => a.info.kind.localeCompare(b.info.kind) || byName(a, b),
    checks: (a, b) => checks(b) - checks(a) || byName(a, b),
  };
  const compare = by[wish.order];
  flat.sort((a, b) => compare(first(a), first(b)));
  return flat.length ? [{ thread: flat[0]!.thread, heading: false, folded: false, rows: flat.map((f) => f.row) }] : [];
}

const DENSE = 'helk.dense';
const FOLDED = 'helk.folded.';

/** How the ledger is listed: what is looked for, in which order, how densely, and which threads are folded. */
@Injectable({ providedIn: 'root' })
export class Listing {
  private readonly project = inject(ProjectStore);
  readonly wish = signal<Wish>(NO_WISH);
  readonly dense = signal(remembered(DENSE, z.boolean(), false));
  private readonly folded = signal<ReadonlySet<string>>(new Set());

  readonly threads = computed(() => threadsOf(this.project.datasetEntities(), this.project.runEntityMap()));
  /** Whether less than all is listed. */
  readonly narrowed = computed(() => {
    const { text, kinds, thread, checked } = this.wish();
    return text.trim() !== '' || kinds.length > 0 || thread !== null || checked;
  });

  constructor() {
    let of: string | null = null;
    effect(() => {
      const id = this.project.project()?.id ?? null;
      if (id === of) return;
      of = id;
      this.wish.set(NO_WISH);
      this.folded.set(new Set(id ? remembered(FOLDED + id, z.array(z.string()), []) : []));
    });
  }

  want(patch: Partial<Wish>): void {
    this.wish.update((w) => ({ ...w, ...patch }));
  }

  setDense(on: boolean): void {
    this.dense.set(on);
    remember(DENSE, on);
  }

  isFolded = (key: string): boolean => this.folded().has(key);

  fold(keys: readonly string[], on: boolean): void {
    const next = new Set(this.folded());
    for (const k of keys)
      if (on) next.add(k);
      else next.delete(k);
    this.folded.set(next);
    const id = this.project.project()?.id;
    if (id) remember(FOLDED + id, [...next]);
  }

  /** What is listed, as it is wished for. */
  list(checks: (d: DatasetItem) => number): ListedThread[] {
    return listed(this.threads(), this.wish(), this.folded(), (d, t) => this.about(d, t), checks);
  }

  private about(d: DatasetItem, t: Thread): string {
    const run = this.project.madeBy(d);
    const { words: kind } = kindOf(d.info);
    return [d.name, t.title, kind.one, kind.many, summaryOf(d), d.source?.file, d.note, run?.title]
      .filter(Boolean)
      .join(' ')
      .toLowerCase();
  }
}
