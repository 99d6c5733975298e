import * as z from 'zod';
import { computed, inject, Injectable, signal } from '@angular/core';
import {
  colouredClasses,
  isNamed,
  namedColour,
  ofKind,
  type ClassEntry,
  type KnownClass,
  type RasterInfo,
} from '@helk/core';
import { remember, remembered } from '../parts/remembered';
import { ProjectStore, type DatasetItem } from './project.store';

/** Where the browser keeps names of classes beyond one project. */
const REMEMBERED = 'helk.classes';
const MOST_REMEMBERED = 60;
/** What is damaged among them is left out. */
const KnownShape = z
  .array(
    z
      .object({
        label: z.string(),
        colour: z
          .string()
          .regex(/^#[0-9a-f]{6}$/i)
          .nullable(),
      })
      .nullable()
      .catch(null),
  )
  .transform((all) => all.filter((k): k is KnownClass => k !== null));

/** Every class of a band, with the colour it is drawn in. */
export const classTableOf = (info: RasterInfo, band = 0): ClassEntry[] => {
  const b = info.bands[band]!;
  const all = colouredClasses(
    b.classes,
    (b.facts?.values ?? []).map((v) => v.value),
  );
  const unsure = new Set((b.classes ?? []).filter((c) => c.unsure).map((c) => c.value));
  return all.map((c) => ({ ...c, ...(unsure.has(c.value) && { unsure: true }) })).sort((a, b) => a.value - b.value);
};

interface Held {
  dataset: string;
  now: ClassEntry[];
  before: ClassEntry[][];
  /** The server has not heard of it yet. */
  untold: boolean;
}

/**
 * Names that are being given to the classes of a raster. They belong to the dataset, so that every pane shows them; each is told to the server
 * in its turn, and every step can be taken back.
 */
@Injectable({ providedIn: 'root' })
export class Naming {
  private readonly store = inject(ProjectStore);
  private readonly held = signal<Held | null>(null);
  private telling: Promise<unknown> = Promise.resolve();

  /** Classes of the dataset as they are named now, before the server knows of it. */
  of(d: DatasetItem): ClassEntry[] {
    const h = this.held();
    return h?.dataset === d.id && h.untold ? h.now : classTableOf(d.info as RasterInfo);
  }

  canUndo(dataset: string): boolean {
    const h = this.held();
    return h?.dataset === dataset && h.before.length > 0;
  }

  put(d: DatasetItem, table: ClassEntry[]): void {
    const now = this.of(d);
    if (JSON.stringify(now) === JSON.stringify(table)) return;
    const before = this.held()?.dataset === d.id ? this.held()!.before : [];
    this.tell(d.id, table, [...before, now]);
  }

  undo(d: DatasetItem): void {
    const h = this.held();
    const last = h?.dataset === d.id ? h.before.at(-1) : undefined;
    if (last) this.tell(d.id, last, h!.before.slice(0, -1));
  }

  /** Gives a class a name: with the colour of another that is named so, or was before, or that such land cover usually has. */
  name(d: DatasetItem, value: number, label: string): void {
    const all = this.of(d);
    const plain = label.trim();
    const like = (c: { label: string }): boolean => c.label.trim().toLowerCase() === plain.toLowerCase();
    const alike = all.find((c) => c.value !== value && like(c));
    const known = this.known().find(like);
    this.put(
      d,
      all.map((c) => {
        if (c.value !== value) return c;
        if (!plain) return { ...c, label: String(value), colour: c.colour };
        return {
          ...c,
          label: alike?.label ?? plain,
          colour: alike?.colour ?? known?.colour ?? namedColour(plain) ?? c.colour,
        };
      }),
    );
    if (plain) this.remember({ label: plain, colour: this.of(d).find((c) => c.value === value)!.colour });
  }

  /** A colour goes to all that are named alike. */
  colour(d: DatasetItem, value: number, colour: string): void {
    const all = this.of(d);
    const own = all.find((c) => c.value === value)!;
    const same = (c: ClassEntry): boolean =>
      c.value === value || (isNamed(own) && c.label.toLowerCase() === own.label.toLowerCase());
    this.put(
      d,
      all.map((c) => (same(c) ? { ...c, colour } : c)),
    );
    if (isNamed(own)) this.remember({ label: own.label, colour });
  }

  unsure(d: DatasetItem, value: number): void {
    this.put(
      d,
      this.of(d).map((c) => {
        if (c.value !== value) return c;
        const { unsure, ...rest } = c;
        return unsure ? rest : { ...rest, unsure: true };
      }),
    );
  }

  private readonly remembered = signal(remembered(REMEMBERED, KnownShape, []));

  /** Names of classes used before: those given last, then those of the project's other rasters. */
  readonly known = computed((): KnownClass[] => [
    ...this.remembered(),
    ...this.store
      .datasetEntities()
      .flatMap((d) => ofKind('raster', d.info)?.bands.flatMap((b) => b.classes ?? []) ?? [])
      .filter(isNamed)
      .map(({ label, colour }) => ({ label, colour })),
  ]);

  remember(c: KnownClass): void {
    const all = [c, ...this.remembered().filter((k) => k.label.toLowerCase() !== c.label.toLowerCase())];
    this.remembered.set(all.slice(0, MOST_REMEMBERED));
    // Without room to remember in, the project's own names are suggested.
    remember(REMEMBERED, this.remembered());
  }

  private tell(dataset: string, now: ClassEntry[], before: ClassEntry[][]): void {
    this.held.set({ dataset, now, before, untold: true });
    const latest = (): boolean => this.held()?.dataset !== dataset || this.held()!.now === now;
    this.telling = this.telling.then(async () => {
      if (!latest()) return;
      await this.store.patchDataset(dataset, { band: 0, classes: now });
      if (latest()) this.held.update((h) => (h?.dataset === dataset ? { ...h, untold: false } : h));
    });
  }
}
