import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { zip, type Zippable } from 'fflate';
import { framesOf, type MapSheet } from '@helk/core/sheet/shape';
import { fileNames } from '@helk/core/sheet/fields';
import type { DisplayList } from '../draw/display';
import { painted } from '../draw/paint';
import { copyPicture, pngOf, saveBlob, saveText } from '../parts/save';
import { ProjectStore } from '../state/project.store';
import { Composer } from './composer';
import { ManySheets } from './many';
import {
  documentOf,
  estimate,
  fileOf,
  FORMATS,
  pixelsOf,
  refusal,
  Stopped,
  type OutputWish,
  type SheetFormat,
} from './output';
import { pageNamed } from '@helk/core/sheet/pages';
import type { PartContext } from './parts/part';

/** Pixels across of a copied picture, at least. */
const COPIED = 1600;

const WORDS: Record<SheetFormat, string> = {
  pdf: 'lines and letters as such, fonts within',
  svg: 'lines and letters as such',
  png: 'a picture without loss',
  jpeg: 'a picture, small',
  tiff: 'a picture without loss, for printers and maps',
};

const ENDING: Record<SheetFormat, string> = { pdf: 'pdf', svg: 'svg', png: 'png', jpeg: 'jpg', tiff: 'tif' };
const WORLD: Record<SheetFormat, string> = { pdf: '', svg: '', png: 'pgw', jpeg: 'jgw', tiff: 'tfw' };

/** What a sheet becomes when it is carried away: format, resolution, what that comes to. */
@Component({
  selector: 'helk-take-away',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="settings">
      <label for="out-format">As</label>
      <select id="out-format" data-testid="out-format" (change)="put({ format: $any(text($event)) })">
        @for (f of formats; track f) {
          <option [value]="f" [selected]="f === wish().format">{{ f.toUpperCase() }}</option>
        }
      </select>
      <label for="out-dpi">Pictures</label>
      <span class="flex items-center gap-2"
        ><input
          id="out-dpi"
          class="num !w-16"
          inputmode="numeric"
          data-testid="out-dpi"
          [value]="wish().dpi"
          (change)="setDpi($event)"
        /><span class="text-ink-2 text-[12px]">dpi</span>
        <label class="tick ml-2"
          ><input type="checkbox" [checked]="wish().grey" (change)="put({ grey: checked($event) })" />in grey</label
        ></span
      >
      @if (many()) {
        <label for="out-many">Many</label>
        <select id="out-many" data-testid="out-many" (change)="apart.set(text($event) === 'apart')">
          @if (wish().format === 'pdf') {
            <option value="one" [selected]="!apart()">one document</option>
          }
          <option value="apart" [selected]="apart() || wish().format !== 'pdf'">a file each, in a zip</option>
        </select>
      }
      @if (placeable().length) {
        <label for="out-place">Place</label>
        <select id="out-place" data-testid="out-place" (change)="put({ place: $any(text($event)) })">
          <option value="none" [selected]="wish().place === 'none'">not told</option>
          @for (p of placeable(); track p.id) {
            <option [value]="p.id" [selected]="p.id === wish().place">{{ p.label }}</option>
          }
        </select>
      }
    </div>
    <p class="text-[12px] text-ink-2 mt-2 leading-snug" data-testid="out-words">{{ words() }}</p>
    @if (why(); as w) {
      <p class="check check-refused mt-2" data-testid="out-refused">{{ w }}</p>
    }
    @if (share(); as s) {
      <div class="flex items-center gap-3 mt-2 text-[12.5px]" role="status">
        <span class="flex-1 h-1.5 rounded bg-line-soft overflow-hidden"
          ><span class="block h-full bg-act" [style.width.%]="s * 100"></span></span
        ><span class="num">{{ percent(s) }}</span
        ><button class="link" (click)="stop()">Stop</button>
      </div>
    } @else {
      <button
        class="btn btn-act w-full mt-2 !min-h-[34px]"
        [disabled]="!list() || !!why()"
        (click)="take()"
        data-testid="take-away"
      >
        Take it away
      </button>
      <div class="flex justify-between mt-2 text-[12.5px]">
        <button class="link" (click)="copy()" [disabled]="!list()" data-testid="copy-sheet">Copy as picture</button>
      </div>
    }
  `,
})
export class TakeAway {
  readonly ctx = input.required<PartContext>();
  /** As it was drawn last. */
  readonly list = input.required<DisplayList | null>();
  /** Sheets that it makes. */
  readonly count = input(1);
  private readonly store = inject(ProjectStore);
  private readonly composer = inject(Composer);
  private readonly maker = inject(ManySheets);
  protected readonly formats = FORMATS;
  protected readonly wish = signal<OutputWish>({ format: 'pdf', dpi: 300, grey: false, place: 'none' });
  protected readonly apart = signal(false);
  protected readonly many = computed(() => this.ctx().sheet.many !== null);
  protected readonly share = signal<number | null>(null);
  private stopping = false;

  protected readonly why = computed(() => {
    const l = this.list();
    return l ? refusal(l, this.wish()) : null;
  });
  protected readonly placeable = computed(() => {
    const { format } = this.wish();
    if (!framesOf(this.ctx().sheet).length || format === 'pdf' || format === 'svg') return [];
    const world = { id: 'world', label: 'in a world file beside it' };
    return format === 'tiff' ? [{ id: 'tags', label: 'within it (GeoTIFF)' }, world] : [world];
  });
  protected readonly words = computed(() => {
    const l = this.list();
    const w = this.wish();
    if (!l) return '…';
    const { width, height } = this.ctx().sheet.page;
    const named = pageNamed(width, height);
    const page = named ? named.name : `${width} × ${height} mm`;
    const n = this.count();
    const bytes = estimate(l, w) * n;
    const size =
      bytes < 1e6
        ? `${Math.max(1, Math.round(bytes / 1e4) * 10)} kB`
        : `${(bytes / 1e6).toFixed(bytes < 1e7 ? 1 : 0)} MB`;
    const [px, py] = pixelsOf(l, w.dpi);
    const what = w.format === 'pdf' || w.format === 'svg' ? `pictures ${w.dpi} dpi` : `${px} × ${py} pixels`;
    const all = n === 1 ? '' : `${n} sheets, `;
    return `${all}${w.format.toUpperCase()}, ${page}: ${WORDS[w.format]} · ${what} · about ${size}`;
  });

  protected readonly text = (e: Event): string => (e.target as HTMLInputElement).value;
  protected readonly checked = (e: Event): boolean => (e.target as HTMLInputElement).checked;
  protected readonly percent = (v: number): string => `${Math.round(v * 100)} %`;

  protected put(patch: Partial<OutputWish>): void {
    this.wish.update((w) => {
      const next = { ...w, ...patch };
      return patch.format && next.place === 'tags' && next.format !== 'tiff' ? { ...next, place: 'none' } : next;
    });
  }

  protected setDpi(e: Event): void {
    const dpi = Math.round(Number(this.text(e)));
    if (dpi >= 30 && dpi <= 2400) this.put({ dpi });
    else {
      this.store.notify('A resolution is between 30 and 2400 dpi.', 'refused');
      (e.target as HTMLInputElement).value = String(this.wish().dpi);
    }
  }

  protected stop(): void {
    this.stopping = true;
  }

  protected take(): void {
    void this.store.guarded(async () => {
      this.stopping = false;
      this.share.set(0.01);
      try {
        const { sheet } = this.ctx();
        if (sheet.many) {
          await this.takeMany(sheet);
          return;
        }
        // As it is printed: without what is only there while it is made.
        const ctx = this.composer.context(sheet);
        const page = await this.composer.list(ctx);
        const main = framesOf(sheet)
          .filter((f) => !f.around)
          .sort((a, b) => b.width * b.height - a.width * a.height)[0];
        const frame = main ? (ctx.frame(main.id) ?? null) : null;
        const w = await this.wished(ctx);
        const { blob, world } = await fileOf(page, w, {
          title: sheet.name,
          frame,
          progress: (s) => this.share.set(Math.max(0.01, s)),
          stopped: () => this.stopping,
        });
        const [name] = fileNames('{sheet}', [ctx.values()]) as [string];
        saveBlob(blob, `${name}.${ENDING[w.format]}`);
        if (world) saveText(world, `${name}.${WORLD[w.format]}`, 'text/plain');
      } catch (e) {
        if (!(e instanceof Stopped)) throw e;
        this.store.notify('Stopped; nothing was written.', 'fine');
      } finally {
        this.share.set(null);
      }
    });
  }

  /** What is wished; in grey with a grey of its own for each class. */
  private async wished(ctx: PartContext): Promise<OutputWish> {
    const w = this.wish();
    return w.grey ? { ...w, greys: await this.composer.greys(ctx) } : w;
  }

  /** Every sheet of many: as one document, or each as a file. */
  private async takeMany(sheet: MapSheet): Promise<void> {
    const w = await this.wished(this.ctx());
    const variants = await this.maker.variants(sheet);
    const contexts = variants.map((v) => this.composer.context(v.sheet, { more: v.values, spot: v.spot }));
    const stopped = (): boolean => this.stopping;
    const names = fileNames(
      sheet.many!.pattern,
      contexts.map((c) => c.values()),
    );
    const [whole] = fileNames('{sheet}', [contexts[0]!.values()]) as [string];
    if (w.format === 'pdf' && !this.apart()) {
      const { composer } = this;
      async function* pages(): AsyncGenerator<DisplayList> {
        for (const c of contexts) yield await composer.list(c);
      }
      const o = {
        title: sheet.name,
        count: variants.length,
        stopped,
        progress: (s: number) => this.share.set(Math.max(0.01, s)),
      };
      saveBlob(await documentOf(pages(), w, o), `${whole}.pdf`);
      return;
    }
    const files: Zippable = {};
    for (const [i, c] of contexts.entries()) {
      const { blob, world } = await fileOf(await this.composer.list(c), w, {
        title: names[i]!,
        frame: c.frame(sheet.many!.frame) ?? null,
        stopped,
        progress: (s) => this.share.set(Math.max(0.01, (i + s) / contexts.length)),
      });
      files[`${names[i]}.${ENDING[w.format]}`] = [new Uint8Array(await blob.arrayBuffer()), { level: 0 }];
      if (world) files[`${names[i]}.${WORLD[w.format]}`] = new TextEncoder().encode(world);
    }
    const bytes = await new Promise<Uint8Array>((ok, no) => zip(files, (e, all) => (e ? no(e) : ok(all))));
    saveBlob(new Blob([bytes.slice()], { type: 'application/zip' }), `${whole}.zip`);
  }

  protected copy(): void {
    void this.store.guarded(async () => {
      const page = await this.composer.list(this.composer.context(this.ctx().sheet));
      await copyPicture(await pngOf(await painted(page, Math.max(2, COPIED / page.width))));
      this.store.notify('Copied.');
    });
  }
}
