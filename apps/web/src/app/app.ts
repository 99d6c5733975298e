import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  ElementRef,
  HostListener,
  inject,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { formatNumber, kindOf, misfit, transformer, wgs84 } from '@helk/core';
import { AskBox } from './ask/ask-box';
import { MethodsList } from './ask/methods-list';
import { Evidence } from './evidence/evidence';
import { Gather } from './gather/gather';
import { Catalogue } from './gather/catalogue';
import { Review } from './gather/review';
import { Ledger } from './ledger/ledger';
import { PaneShell } from './pane/pane';
import { ICONS } from './parts/icons';
import { ProjectMenu } from './projects/project-menu';
import { UndoRedo } from './parts/undo-redo';
import { SystemMenu } from './projects/system-menu';
import { DeskView } from './recipes/desk-view';
import { RecipesList } from './recipes/recipes-list';
import { SheetsList } from './sheets/sheets-list';
import { RunSheet } from './run-sheet/run-sheet';
import { Drawing } from './draw/drawing';
import { Desk } from './state/desk';
import { Findings } from './state/findings';
import { Address } from './state/address';
import { Changes } from './state/changes';
import { Closer } from './state/closer';
import { BenchStore, type Stage } from './state/bench.store';
import { Cursor } from './state/cursor';
import { ProjectStore } from './state/project.store';
import { SameRows } from './state/same-rows';
import { ReviewStore } from './state/review.store';
import { Neighbourhood } from './state/neighbourhood';
import { ServiceStore } from './state/service.store';
import { WorkSide } from './work/work-side';

/** How long what stands beside the map waits for its first picture, ms: both would draw out both. */
const BESIDE = 1200;

/** Without its full stop: within a sentence. */
const plain = (words: string): string => words.replace(/\.$/, '');

/** The workbench: rail, stage, panes, evidence, run sheet. */
@Component({
  selector: 'helk-app',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    AskBox,
    Catalogue,
    DeskView,
    MethodsList,
    Evidence,
    Gather,
    Ledger,
    NgIcon,
    PaneShell,
    ProjectMenu,
    RecipesList,
    Review,
    RunSheet,
    SheetsList,
    SystemMenu,
    UndoRedo,
    WorkSide,
  ],
  viewProviders: [provideIcons(ICONS)],
  templateUrl: './app.html',
  host: { class: 'block h-screen' },
})
export class App {
  protected readonly store = inject(ProjectStore);
  protected readonly bench = inject(BenchStore);
  protected readonly review = inject(ReviewStore);
  protected readonly service = inject(ServiceStore);
  protected readonly desk = inject(Desk);
  private readonly findings = inject(Findings);
  protected readonly changes = inject(Changes);
  /** Something lies where the panes are. */
  protected readonly covered = computed(() => this.review.open() || this.service.open() || this.desk.lying() !== null);
  /** Lights links of what is picked, wherever those are seen. */
  protected readonly near = inject(Neighbourhood);
  /** What is picked of one dataset is picked of all that have its rows. */
  protected readonly sameRows = inject(SameRows);
  private readonly cursor = inject(Cursor);
  private readonly askBox = viewChild(AskBox);
  private readonly side = viewChild<ElementRef<HTMLElement>>('side');
  protected readonly stages: { id: Stage; label: string }[] = [
    { id: 'gather', label: 'Gather' },
    { id: 'ledger', label: 'Ledger' },
    { id: 'methods', label: 'Methods' },
    { id: 'recipes', label: 'Recipes' },
    { id: 'sheets', label: 'Sheets' },
  ];
  /** What stands on top in the first two panes, where a method compares two such. */
  protected readonly pair = computed(() => {
    const method = this.store.serving().get('compare two');
    const [a, b] = this.bench
      .panes()
      .slice(0, 2)
      .map((p) => {
        const seen = p.layers.filter((l) => l.visible).map((l) => this.store.datasetEntityMap()[l.dataset]);
        return seen.findLast((d) => d && method && Object.values(method.inputs).every((i) => !misfit(i, d.info)));
      });
    if (!method || !a || !b || a.id === b.id || kindOf(a.info).unit(a.info) !== kindOf(b.info).unit(b.info))
      return null;
    const [first, second] = Object.keys(method.inputs) as [string, string];
    return { method: method.id, inputs: { [first]: [a.id], [second]: [b.id] } };
  });
  /** The run that is furthest, for the top bar. */
  protected readonly live = computed(() => [...this.store.liveRuns()].sort((a, b) => b.progress - a.progress)[0]);
  protected readonly grid = computed(() => {
    const n = this.bench.panes().length;
    return n === 1 ? '1fr / 1fr' : n === 2 ? '1fr / 1fr 1fr' : n === 3 ? '1fr 1fr / 1fr 1fr' : '1fr 1fr / 1fr 1fr';
  });
  /** The cursor in the panes' system and in degrees. */
  protected readonly place = computed(() => {
    const c = this.cursor.at();
    if (!c) return [];
    const crs = this.store.system();
    if (!crs) return [`${formatNumber(c.x)} ${formatNumber(c.y)}`, 'system not known'];
    const out = [0, 0];
    transformer(crs, wgs84())(c.x, c.y, out);
    const degrees = `${Math.abs(out[1]!).toFixed(5)}° ${out[1]! < 0 ? 'S' : 'N'} ${Math.abs(out[0]!).toFixed(5)}° ${out[0]! < 0 ? 'W' : 'E'}`;
    return crs.geographic
      ? [degrees]
      : [`${formatNumber(Math.round(c.x))} E ${formatNumber(Math.round(c.y))} N ${crs.unit}`, degrees];
  });
  constructor() {
    inject(Closer);
    inject(Address);
    const { first } = inject(Drawing);
    effect((done) => {
      if (this.store.loading() || this.beside()) return;
      const go = (): void => this.beside.set(true);
      // A map that shows nothing has no picture to wait for.
      if (untracked(this.bench.scales).size) void first.then(go);
      const timer = setTimeout(go, untracked(this.bench.scales).size ? BESIDE : 0);
      done(() => clearTimeout(timer));
    });
    // Each stage is read from its top.
    effect(() => {
      this.bench.stage();
      this.side()?.nativeElement.scrollTo(0, 0);
    });
  }

  /** The map has its first picture: what stands beside it comes next. */
  protected readonly beside = signal(false);

  protected readonly percent = (v: number): string => `${Math.round(v * 100)} %`;

  protected stage(id: Stage): void {
    const leaves = this.bench.stage() === id;
    this.bench.set({ stage: leaves ? null : id });
    // What lies on the desk belongs to its stage; the panes come back with any other.
    if (this.desk.stage() !== id) this.desk.clear();
  }

  @HostListener('document:keydown', ['$event'])
  protected keys(e: KeyboardEvent): void {
    const typing = e.target instanceof HTMLElement && /^(INPUT|TEXTAREA|SELECT)$/.test(e.target.tagName);
    const key = e.key.toLowerCase();
    if ((e.ctrlKey || e.metaKey) && key === 'k') this.askBox()?.take();
    // What lies on the desk, and a work, take their own changes back.
    else if (
      (e.ctrlKey || e.metaKey) &&
      (key === 'z' || key === 'y') &&
      !typing &&
      !this.covered() &&
      !this.bench.work()
    )
      void (key === 'y' || e.shiftKey ? this.again() : this.back());
    else if (e.altKey && /^[1-4]$/.test(e.key)) {
      const id = Number(e.key);
      if (this.bench.panes().some((p) => p.id === id)) this.bench.set({ activePane: id });
      else if (this.bench.panes().length < 4) this.bench.addPane();
    } else if (!typing && e.key === '[') this.bench.set({ stage: this.bench.stage() ? null : 'ledger' });
    else if (!typing && e.key === ']') {
      if (this.bench.sheet()) this.bench.set({ sheet: null });
      else if (this.bench.work()) this.bench.leaveWork();
    } else if (!typing && e.key === "'") this.bench.set({ evidence: !this.bench.evidence() });
    else if (
      !typing &&
      e.key === 'f' &&
      !e.ctrlKey &&
      !e.metaKey &&
      !e.altKey &&
      !this.covered() &&
      this.store.project()
    )
      void this.findings.pin();
    else if (!typing && e.key === 'Escape') this.bench.set({ readout: null });
    else return;
    e.preventDefault();
  }

  protected async back(): Promise<void> {
    const words = await this.changes.undo();
    if (words) this.store.notify(`Taken back: ${plain(words)}.`);
  }

  protected async again(): Promise<void> {
    const words = await this.changes.redo();
    if (words) this.store.notify(`Done again: ${plain(words)}.`);
  }

  protected growEvidence(by: number): void {
    const most = innerHeight - 260;
    this.bench.set({ evidenceHeight: Math.round(Math.min(most, Math.max(120, this.bench.evidenceHeight() + by))) });
  }

  protected dragEvidence(e: PointerEvent): void {
    e.preventDefault();
    let last = e.clientY;
    const move = (m: PointerEvent): void => {
      this.growEvidence(last - m.clientY);
      last = m.clientY;
    };
    const up = (): void => {
      removeEventListener('pointermove', move);
      removeEventListener('pointerup', up);
    };
    addEventListener('pointermove', move);
    addEventListener('pointerup', up);
  }
}
