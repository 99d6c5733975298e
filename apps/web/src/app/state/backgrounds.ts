import { computed, inject, Injectable } from '@angular/core';
import { FreeNames, systemText } from '@helk/core';
import type { ApiBackground } from '@helk/core/api/schemas';
import type { Background } from '@helk/core/render/background';
import type { Frame } from '@helk/core/sheet/shape';
import { Api, sentence } from '../api/api';
import type { Ground } from '../draw/ground/layer';
import { BenchStore } from './bench.store';
import { ProjectStore } from './project.store';

export const COASTS = 'coasts';
export const NO_GROUND = 'none';

/** What lies under the data: the coasts of the world, tiles of a service that the project knows, or nothing. */
@Injectable({ providedIn: 'root' })
export class Backgrounds {
  private readonly store = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  private readonly api = inject(Api);
  readonly all = this.store.backgrounds;

  /** The chosen one of the project's own; undefined where it is not one of them. */
  readonly own = computed((): ApiBackground | undefined => this.named(this.bench.background()));

  /** What the panes draw under everything. */
  readonly ground = computed(() => this.groundOf(this.bench.background(), this.bench.backgroundStrength()));

  groundOf(id: string, strength: number): Ground | null {
    const project = this.store.project();
    // What is nowhere has nothing under it.
    if (!project || id === NO_GROUND || !this.store.system()) return null;
    if (id === COASTS) return { what: COASTS, strength };
    const b = this.named(id);
    if (!b) return null;
    const tile = (level: number, row: number, column: number): Promise<Blob | null> =>
      this.api.tile(project.id, id, level, row, column);
    return { what: { id: `${project.id} ${id}`, background: b.background, tile }, strength };
  }

  named(id: string): ApiBackground | undefined {
    return this.all().find((b) => b.id === id);
  }

  /** The same for a map on a page. */
  forFrame(): Frame['ground'] {
    const of = this.bench.background();
    return of === NO_GROUND ? null : { of, strength: this.bench.backgroundStrength() };
  }

  /** Who made what lies under the data and how it is called, as it must be said beside it. */
  creditOf(id: string): string {
    const b = this.named(id)?.background;
    return b ? [b.name, b.credit].filter(Boolean).join(', ') : '';
  }

  /** That part of it did not come, in words. */
  static missing(tiles: number, why: unknown): string {
    return `${tiles === 1 ? 'A tile' : `${tiles} tiles`} of what lies under the data did not come. ${sentence(why)}`;
  }

  /** Says that a picture was made without part of it. */
  missed(tiles: number, why: unknown): void {
    this.store.notify(`${Backgrounds.missing(tiles, why)} The picture has nothing there.`, 'refused');
  }

  choose(id: string): void {
    this.bench.set({ background: id });
  }

  /** What an address offers; throws what it is refused for. */
  open(address: string, signal: AbortSignal): Promise<Background[]> {
    return this.api.openTiles({ address, crs: systemText(this.store.crs()) }, signal);
  }

  /** Keeps one with the project and lays it under the data. */
  async keep(background: Background): Promise<ApiBackground | undefined> {
    const p = this.store.project();
    if (!p) return undefined;
    const name = new FreeNames(this.all().map((b) => b.background.name)).take(background.name);
    const kept = await this.store.guarded(() => this.api.createBackground(p.id, { ...background, name }));
    if (!kept) return undefined;
    this.store.written({ backgrounds: [kept] });
    this.choose(kept.id);
    return kept;
  }

  async remove({ id, background }: ApiBackground): Promise<void> {
    await this.store.putAway(id, `“${background.name}” was removed.`, (p) => this.api.deleteBackground(p, id));
  }
}
