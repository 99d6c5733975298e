import { computed, inject, Injectable } from '@angular/core';
import { FreeNames, RAMPS, type Ramp } from '@helk/core';
import type { ApiPalette } from '@helk/core/api/schemas';
import { PaletteShape, rampIdOf, type Palette } from '@helk/core/render/palette';
import { Api } from '../api/api';
import { jsonIn } from '../parts/save';
import { ProjectStore } from './project.store';

/** Colours that somebody has put together, kept with the project. */
@Injectable({ providedIn: 'root' })
export class Palettes {
  private readonly store = inject(ProjectStore);
  private readonly api = inject(Api);
  readonly all = this.store.palettes;
  /** Those of the catalogue, own ones behind them. */
  readonly ramps = computed((): (Ramp & { own: ApiPalette | null })[] => [
    ...RAMPS.map((r) => ({ ...r, own: null })),
    ...this.all().flatMap((p) =>
      p.palette.kind === 'classes'
        ? []
        : [
            {
              id: rampIdOf(p.palette),
              title: p.palette.name,
              kind: p.palette.kind,
              stops: p.palette.colours,
              own: p,
            },
          ],
    ),
  ]);
  readonly classes = computed(() => this.all().filter((p) => p.palette.kind === 'classes'));

  /** Keeps a palette: a new one, or one that is there in its new state. */
  async keep(palette: Palette, id: string | null): Promise<ApiPalette | undefined> {
    const p = this.store.project();
    if (!p) return undefined;
    const kept = await this.store.guarded(() => {
      if (id) return this.api.savePalette(p.id, id, palette);
      const name = new FreeNames(this.all().map((x) => x.palette.name)).take(palette.name);
      return this.api.createPalette(p.id, { ...palette, name });
    });
    if (kept) this.store.written({ palettes: [kept] });
    return kept;
  }

  async openFile(file: File): Promise<ApiPalette | undefined> {
    return this.store.guarded(async () => {
      const read = PaletteShape.safeParse(await jsonIn(file, 'palette'));
      if (!read.success) {
        const { path, message } = read.error.issues[0]!;
        throw new Error(`“${file.name}” is no palette of Helk: ${path.join('.') || 'it'}: ${message}`);
      }
      return this.keep(read.data, null);
    });
  }

  async remove({ id, palette }: ApiPalette): Promise<void> {
    const words = `“${palette.name}” was removed; what is drawn in it stays as it is.`;
    await this.store.putAway(id, words, (p) => this.api.deletePalette(p, id));
  }
}
