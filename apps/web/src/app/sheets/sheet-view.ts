import { NgComponentOutlet } from '@angular/common';
import { CdkMenu, CdkMenuItem, CdkMenuTrigger } from '@angular/cdk/menu';
import {
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  ElementRef,
  inject,
  signal,
  untracked,
  viewChild,
  type Type,
} from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { aligned, spread, type Alignment } from '@helk/core/sheet/arrange';
import { PAGES, pageNamed, pageSize, type PageName } from '@helk/core/sheet/pages';
import { framesOf, type Part, type PartKind } from '@helk/core/sheet/shape';
import type { DisplayList } from '../draw/display';
import { EYES } from '@helk/core/render/seen';
import { ICONS } from '../parts/icons';
import { UndoRedo } from '../parts/undo-redo';
import { saveText } from '../parts/save';
import { Desk } from '../state/desk';
import { MapSheets } from '../state/map-sheets';
import { ProjectStore } from '../state/project.store';
import { Composer } from './composer';
import { PageCanvas } from './page-canvas';
import { ManyStrip } from './many-strip';
import { PARTS, recordOf } from './parts';
import type { PartCheck, PartContext } from './parts/part';
import { freeId, placed } from './placing';
import { SeenBy } from './seen-by';
import { TakeAway } from './take-away';

/** How long after a change the sheet is looked at for what should be said, ms. */
const LOOK = 400;

/** A map sheet on the desk: the page in the middle, the settings of what is chosen beside it. */
@Component({
  selector: 'helk-sheet-view',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    CdkMenu,
    CdkMenuItem,
    CdkMenuTrigger,
    ManyStrip,
    NgComponentOutlet,
    NgIcon,
    PageCanvas,
    SeenBy,
    TakeAway,
    UndoRedo,
  ],
  viewProviders: [provideIcons(ICONS)],
  templateUrl: './sheet-view.html',
  host: { class: 'block h-full min-h-0', '(keydown)': 'keyed($event)' },
})
export class SheetView {
  protected readonly sheets = inject(MapSheets);
  private readonly store = inject(ProjectStore);
  private readonly composer = inject(Composer);
  private readonly desk = inject(Desk);
  private readonly own = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly room = viewChild<ElementRef<HTMLElement>>('room');
  protected readonly page = viewChild(PageCanvas);

  protected readonly sheet = this.sheets.sheet;
  protected readonly ctx = computed((): PartContext | null => {
    const s = this.sheet();
    // What is drawn changes with the data it is of.
    this.store.datasetEntityMap();
    return s ? this.composer.context(s, { editing: true, more: this.first() }) : null;
  });
  protected readonly addable = PARTS.filter((p) => p.kind !== 'finding');
  protected readonly pages = Object.keys(PAGES) as PageName[];
  protected readonly seenBy = EYES;
  protected readonly seen = signal<string>('all');
  protected readonly named = computed(() => {
    const p = this.sheet()?.page;
    return p ? pageNamed(p.width, p.height) : null;
  });
  protected readonly one = computed((): Part | null => {
    const all = this.sheets.parts();
    return all.length === 1 ? all[0]! : null;
  });
  protected readonly label = (p: Pick<Part, 'kind'>): string => recordOf(p).label;
  protected readonly about = (p: Pick<Part, 'kind'>): string => recordOf(p).about;

  private readonly roomSize = signal<[number, number]>([600, 500]);
  /** Pixels to a millimetre; null to fit. */
  private readonly wanted = signal<number | null>(null);
  protected readonly zoom = computed(() => {
    const p = this.sheet()?.page;
    const [w, h] = this.roomSize();
    if (!p) return 2;
    return this.wanted() ?? Math.max(0.2, Math.min((w - 56) / p.width, (h - 48) / p.height));
  });
  protected readonly fits = computed(() => this.wanted() === null);
  /** Of how it is on paper, on a screen of 96 pixels to the inch. */
  protected readonly percent = computed(() => Math.round((this.zoom() * 25.4 * 100) / 96));

  protected readonly editor = signal<{ kind: PartKind; component: Type<unknown> } | null>(null);
  protected readonly checks = signal<readonly PartCheck[]>([]);
  /** Of many, what fields stand for on the first. */
  protected readonly first = signal<ReadonlyMap<string, string>>(new Map(), {
    equal: (a, b) => a.size === b.size && [...a].every(([k, v]) => b.get(k) === v),
  });
  /** Of many, how many there are. */
  protected readonly count = signal(1);
  /** The page as it was drawn last. */
  protected readonly list = signal<DisplayList | null>(null);

  constructor() {
    effect((done) => {
      const room = this.room()?.nativeElement;
      if (!room) return;
      const watch = new ResizeObserver(() => this.roomSize.set([room.clientWidth, room.clientHeight]));
      watch.observe(room);
      done(() => watch.disconnect());
    });
    effect(() => {
      const p = this.one();
      if (!p || untracked(this.editor)?.kind === p.kind) return;
      void recordOf(p)
        .editor()
        .then((component) => this.editor.set({ kind: p.kind, component }));
    });
    effect((done) => {
      const ctx = this.ctx();
      if (!ctx) return;
      let gone = false;
      const timer = setTimeout(() => {
        this.composer.checks(ctx).then(
          (all) => {
            if (!gone) this.checks.set(all);
          },
          () => undefined,
        );
      }, LOOK);
      done(() => {
        gone = true;
        clearTimeout(timer);
      });
    });
    inject(DestroyRef).onDestroy(() => this.sheets.chosen.set([]));
  }

  protected close(): void {
    this.desk.clear();
  }

  protected rename(e: Event): void {
    const name = (e.target as HTMLInputElement).value.trim();
    if (name) this.sheets.change((s) => ({ ...s, name }));
  }

  protected setPage(name: string): void {
    const size = pageSize(name as PageName, this.named()?.across ?? true);
    this.sheets.change((s) => ({ ...s, page: { ...s.page, ...size } }));
  }

  protected turnPage(): void {
    this.sheets.change((s) => ({ ...s, page: { ...s.page, width: s.page.height, height: s.page.width } }));
  }

  protected setSize(side: 'width' | 'height' | 'margin', e: Event): void {
    const v = Number((e.target as HTMLInputElement).value.replace(',', '.'));
    const least = side === 'margin' ? 0 : 20;
    if (v >= least && v <= 3000) this.sheets.change((s) => ({ ...s, page: { ...s.page, [side]: v } }));
    else (e.target as HTMLInputElement).value = String(this.sheet()?.page[side]);
  }

  protected add(kind: PartKind): void {
    const s = this.sheet();
    if (!s) return;
    const at = placed(s, kind);
    const part = recordOf({ kind }).begin(at.id, at.box, { sheet: s });
    if (!part) {
      this.store.notify('It is of a map, and this sheet has none yet.', 'refused');
      return;
    }
    this.sheets.change((x) => ({ ...x, parts: [...x.parts, part] }));
    this.sheets.chosen.set([part.id]);
  }

  /** A frame that shows where the first one lies, three times as much of the land around it. */
  protected addOverview(): void {
    const s = this.sheet();
    const of = s && framesOf(s)[0];
    if (!s || !of) return;
    const side = Math.min(45, of.width / 3);
    const id = freeId(s, 'overview');
    const box = { x: of.x + of.width - side - 2, y: of.y + 2, width: side, height: (side * of.height) / of.width };
    const scale = (of.scale * of.width * 3) / side;
    this.sheets.change((x) => ({
      ...x,
      parts: [...x.parts, { ...of, ...box, id, scale, around: of.id, linked: null, grid: null }],
    }));
    this.sheets.chosen.set([id]);
  }

  protected remove(): void {
    const gone = new Set(this.sheets.chosen());
    this.sheets.change((s) => {
      // What is of a frame goes with it; what only goes with it stays where it is.
      for (const p of s.parts) if ('frame' in p && gone.has(p.frame)) gone.add(p.id);
      const parts = s.parts.filter((p) => !gone.has(p.id));
      return {
        ...s,
        parts: parts.map((p) =>
          p.kind === 'frame'
            ? {
                ...p,
                linked: p.linked && gone.has(p.linked) ? null : p.linked,
                around: p.around && gone.has(p.around) ? null : p.around,
              }
            : p,
        ),
        many: s.many && gone.has(s.many.frame) ? null : s.many,
      };
    });
  }

  protected copy(): void {
    const ids: string[] = [];
    this.sheets.change((s) => {
      let next = s;
      for (const p of this.sheets.parts()) {
        const id = freeId(next, p.kind);
        ids.push(id);
        next = { ...next, parts: [...next.parts, { ...p, id, x: p.x + 5, y: p.y + 5 }] };
      }
      return next;
    });
    this.sheets.chosen.set(ids);
  }

  protected order(to: 'front' | 'back'): void {
    const chosen = new Set(this.sheets.chosen());
    this.sheets.change((s) => {
      const some = s.parts.filter((p) => chosen.has(p.id));
      const rest = s.parts.filter((p) => !chosen.has(p.id));
      return { ...s, parts: to === 'front' ? [...rest, ...some] : [...some, ...rest] };
    });
  }

  protected align(how: Alignment): void {
    this.laid(aligned(this.sheets.parts(), how, this.sheet()!.page));
  }

  protected spreadOut(along: 'x' | 'y'): void {
    this.laid(spread(this.sheets.parts(), along));
  }

  private laid(boxes: readonly Part[]): void {
    const by = new Map(boxes.map((b) => [b.id, b]));
    this.sheets.change((s) => ({ ...s, parts: s.parts.map((p) => by.get(p.id) ?? p) }));
  }

  protected place(side: 'x' | 'y' | 'width' | 'height', e: Event): void {
    const v = Number((e.target as HTMLInputElement).value.replace(',', '.'));
    const p = this.one();
    if (!p) return;
    const least = side === 'x' || side === 'y' ? -3000 : 1;
    if (Number.isFinite(v) && v >= least && v <= 3000) this.sheets.changePart(p.id, (x) => ({ ...x, [side]: v }), null);
    else (e.target as HTMLInputElement).value = String(p[side]);
  }

  protected mend(c: PartCheck): void {
    if (c.mend) this.sheets.changePart(c.part, c.mend.how);
  }

  protected zoomBy(k: number): void {
    this.wanted.set(Math.min(40, Math.max(0.2, this.zoom() * k)));
  }

  protected fit(): void {
    this.wanted.set(null);
  }

  protected save(): void {
    const s = this.sheet();
    if (s)
      saveText(JSON.stringify(s, null, 1), `${s.name.replace(/[^\p{L}\p{N} ,._-]+/gu, '_')}.json`, 'application/json');
  }

  protected readonly mm = (v: number): string => String(Math.round(v * 10) / 10);

  /** Keys that are about the sheet, unless somebody writes. */
  protected keyed(e: KeyboardEvent): void {
    if ((e.target as HTMLElement).closest('input, textarea, select')) return;
    const ctrl = e.ctrlKey || e.metaKey;
    if (ctrl && e.key.toLowerCase() === 'z') this.sheets[e.shiftKey ? 'redo' : 'undo']();
    else if (ctrl && e.key.toLowerCase() === 'y') this.sheets.redo();
    else if (ctrl && e.key.toLowerCase() === 'd' && this.sheets.parts().length) this.copy();
    else if (ctrl && e.key.toLowerCase() === 'a') this.sheets.chosen.set(this.sheet()?.parts.map((p) => p.id) ?? []);
    else if ((e.key === 'Delete' || e.key === 'Backspace') && this.sheets.parts().length) this.remove();
    else if (e.key === 'Enter' && this.one() && (e.target as HTMLElement).hasAttribute('data-part'))
      this.own.nativeElement
        .querySelector<HTMLElement>(
          '[data-settings] input, [data-settings] select, [data-settings] textarea, [data-settings] button',
        )
        ?.focus();
    else return;
    e.preventDefault();
    e.stopPropagation();
  }
}
