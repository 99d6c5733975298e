import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  resource,
  signal,
  viewChild,
} from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { htmlOf } from '@helk/core/report/html';
import type { Document } from '@helk/core/report/document';
import { fileName } from '@helk/core/sheet/fields';
import type { Finding } from '@helk/core/sheet/finding';
import { PAGES } from '@helk/core/sheet/pages';
import { writeRecipe } from '@helk/core/recipe/shape';
import type { DisplayList } from '../draw/display';
import { toSvg } from '../draw/svg';
import { ICONS } from '../parts/icons';
import { saveBlob, saveText } from '../parts/save';
import { UndoRedo } from '../parts/undo-redo';
import { DrawnList } from '../sheets/drawn-list';
import { Desk } from '../state/desk';
import { Findings } from '../state/findings';
import { ProjectStore } from '../state/project.store';
import { Reports } from '../state/reports';
import { fontsHere, fontsWithin } from './report-fonts';

/** Sizes of pages that a report is printed on. */
const PAPERS = ['A4', 'Letter'] as const;
/** Results offered at once. */
const OFFERED = 200;

/** A report as it will be read, and beside it what somebody says in it and what it tells of. */
@Component({
  selector: 'helk-report-view',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DrawnList, NgIcon, UndoRedo],
  viewProviders: [provideIcons(ICONS)],
  host: { class: 'block h-full min-h-0', '(keydown)': 'keyed($event)', 'data-testid': 'report-view' },
  templateUrl: './report-view.html',
})
export class ReportView {
  protected readonly reports = inject(Reports);
  protected readonly findings = inject(Findings);
  protected readonly desk = inject(Desk);
  private readonly store = inject(ProjectStore);
  private readonly frame = viewChild<ElementRef<HTMLIFrameElement>>('page');
  protected readonly papers = PAPERS;
  protected readonly paper = signal<(typeof PAPERS)[number]>('A4');
  protected readonly busy = signal(false);

  private readonly results = computed(() => this.reports.report()?.results ?? [], {
    equal: (a, b) => a.join() === b.join(),
  });
  private readonly recipe = resource({
    params: () => ({ results: this.results(), stand: this.store.runEntities().length }),
    loader: ({ params }) => this.reports.recipe(params.results),
  });
  protected readonly doc = computed((): Document | null => {
    const r = this.reports.report();
    return r ? this.reports.contents(r, this.recipe.value() ?? 'it is being looked at.') : null;
  });
  /** Findings of the report, those of the project that are not in it behind them. */
  protected readonly offered = computed(() => {
    const ids = this.reports.report()?.findings ?? [];
    const all = this.findings.all();
    const inIt = ids.flatMap((id) => all.find((f) => f.id === id) ?? []);
    return [
      ...inIt.map((f) => ({ f, on: true })),
      ...all.filter((f) => !ids.includes(f.id)).map((f) => ({ f, on: false })),
    ];
  });
  protected readonly named = computed(() =>
    this.results().map((id) => ({ id, name: this.store.datasetEntityMap()[id]?.name ?? 'removed since' })),
  );
  /** Results that could be told of as well. */
  protected readonly others = computed(() => {
    const ids = new Set(this.results());
    return this.store
      .datasetEntities()
      .filter((d) => !d.source && !ids.has(d.id))
      .slice(-OFFERED);
  });
  private readonly drawn = signal<ReadonlyMap<string, DisplayList>>(new Map());
  /** The same as SVG: its pictures are packed once, not at every letter that is typed. */
  private readonly svgs = computed(() => {
    const titles = new Map(this.findings.all().map((f) => [f.drawing, f.title]));
    return new Map(
      [...this.drawn()].map(([id, list], i) => [id, toSvg(list, { title: titles.get(id) ?? '', marks: `f${i}-` })]),
    );
  });

  constructor() {
    effect((done) => {
      const ids = this.reports.report()?.findings ?? [];
      const wanted = this.findings.all().filter((f) => f.drawing && ids.includes(f.id));
      let gone = false;
      done(() => (gone = true));
      void Promise.all(wanted.map(async (f) => [f.drawing!, await this.findings.drawing(f)] as const)).then((all) => {
        if (!gone) this.drawn.set(new Map(all.flatMap(([id, l]) => (l ? [[id, l]] : []))));
      });
    });
    // The page follows without being loaded again, so that it stays where it was scrolled to.
    effect(() => {
      const [frame, doc] = [this.frame()?.nativeElement, this.doc()];
      if (!frame || !doc) return;
      const html = htmlOf(doc, { drawings: this.svgs(), fonts: fontsHere() });
      const shown = frame.contentDocument;
      if (shown?.querySelector('main')) {
        const next = new DOMParser().parseFromString(html, 'text/html');
        shown.body.replaceChildren(...next.body.childNodes);
      } else frame.srcdoc = html;
    });
  }

  protected readonly text = (e: Event): string => (e.target as HTMLInputElement).value;

  protected retitle(e: Event): void {
    const title = this.text(e).trim();
    if (title) this.reports.change({ title });
    else (e.target as HTMLInputElement).value = this.reports.report()?.title ?? '';
  }

  protected toggle(f: Finding, on: boolean): void {
    const ids = this.reports.report()?.findings ?? [];
    this.reports.change({ findings: on ? [...ids, f.id] : ids.filter((id) => id !== f.id) });
  }

  protected move(f: Finding, by: number): void {
    const ids = [...(this.reports.report()?.findings ?? [])];
    const i = ids.indexOf(f.id);
    if (i + by < 0 || i + by >= ids.length) return;
    ids.splice(i, 1);
    ids.splice(i + by, 0, f.id);
    this.reports.change({ findings: ids });
  }

  protected add(field: HTMLSelectElement): void {
    if (field.value) this.reports.change({ results: [...this.results(), field.value] });
    field.value = '';
  }

  protected leave(id: string): void {
    this.reports.change({ results: this.results().filter((r) => r !== id) });
  }

  protected keyed(e: KeyboardEvent): void {
    const typing = (e.target as HTMLElement).matches('input, textarea');
    if (!(e.ctrlKey || e.metaKey) || typing) return;
    const key = e.key.toLowerCase();
    if (key === 'z' && !e.shiftKey) this.reports.undo();
    else if (key === 'y' || (key === 'z' && e.shiftKey)) this.reports.redo();
    else return;
    e.preventDefault();
  }

  /** What is taken away is what stands now, its recipe known. */
  private async whole(): Promise<{ doc: Document; name: string } | null> {
    const r = this.reports.report();
    if (!r) return null;
    const recipe = this.recipe.value() ?? (await this.reports.recipe(r.results));
    return { doc: this.reports.contents(r, recipe), name: fileName(r.title, 'report') };
  }

  protected async takePage(): Promise<void> {
    await this.taking(async ({ doc, name }) => {
      const html = htmlOf(doc, { drawings: this.svgs(), fonts: await fontsWithin(doc) });
      saveText(html, `${name}.html`, 'text/html;charset=utf-8');
    });
  }

  protected async takePdf(): Promise<void> {
    await this.taking(async ({ doc, name }) => {
      const [{ reportPages }, { toPdf }, { lettersReady }] = await Promise.all([
        import('./report-pages'),
        import('../draw/pdf'),
        import('../draw/display'),
      ]);
      const size = PAGES[this.paper()];
      // Lines are broken by the fonts that they will be printed in.
      for (const l of reportPages(doc, this.drawn(), size)) await lettersReady(l);
      const bytes = await toPdf(reportPages(doc, this.drawn(), size), {
        title: doc.title,
        finer: 3,
        attached: doc.attached.map((a) => ({ ...a, bytes: new TextEncoder().encode(a.text) })),
      });
      saveBlob(new Blob([bytes], { type: 'application/pdf' }), `${name}.pdf`);
    });
  }

  protected takeRecipe(): void {
    const recipe = this.recipe.value();
    if (recipe && typeof recipe !== 'string')
      saveText(writeRecipe(recipe), `${fileName(recipe.title, 'recipe')}.json`, 'application/json');
  }

  protected readonly hasRecipe = computed(() => {
    const r = this.recipe.value();
    return r !== undefined && typeof r !== 'string';
  });

  protected takeSource(): void {
    const r = this.reports.report();
    if (r) saveText(`${JSON.stringify(r, null, 1)}\n`, `${fileName(r.title, 'report')}.json`, 'application/json');
  }

  private async taking(how: (w: { doc: Document; name: string }) => Promise<void>): Promise<void> {
    this.busy.set(true);
    await this.store.guarded(async () => {
      const w = await this.whole();
      if (w) await how(w);
    });
    this.busy.set(false);
  }
}
