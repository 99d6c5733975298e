import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { displayUnit, figureUnit, figureWords, kindOf, type MethodDescription } from '@helk/core';
import type { Passage } from '@helk/core/recipe/history';
import type { Step } from '@helk/core/recipe/shape';
import { ICONS } from '../parts/icons';
import { BenchStore } from '../state/bench.store';
import { Desk } from '../state/desk';
import { ProjectStore } from '../state/project.store';
import { Reports } from '../state/reports';
import { titleOf } from '../state/threads';
import { chipsOf } from './chips';
import { Flow, type FlowNode } from './flow';
import { historyIn } from './past';
import { StepRow } from './step-row';

/** How many figures of a step are told beside it. */
const FIGURES = 3;

/** How results were made: back to their sources, as a written procedure. */
@Component({
  selector: 'helk-made-view',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Flow, NgIcon, StepRow],
  viewProviders: [provideIcons(ICONS)],
  host: { class: 'grid grid-cols-[minmax(0,1fr)_276px] min-h-0 min-w-0', 'data-testid': 'made-view' },
  template: `
    <div class="overflow-auto bg-leaf px-7 py-5 min-w-0">
      <header class="flex items-start gap-3">
        <div class="flex-1 min-w-0">
          <h2 class="voice italic text-[26px] leading-[1.15]">How this was made</h2>
          <p class="text-[13px] text-ink-2 mt-1">
            <b class="font-[600] text-ink">{{ names() }}</b> · {{ steps().length }}
            {{ steps().length === 1 ? 'step' : 'steps' }} from {{ history().sources.length }}
            {{ history().sources.length === 1 ? 'source' : 'sources' }}
          </p>
        </div>
        <button class="icon-btn" (click)="desk.clear()" aria-label="Back to the panes">
          <ng-icon name="lucideX" size="16" />
        </button>
      </header>
      <section class="border border-line rounded-[6px] px-4 py-2.5 mt-4" aria-label="Goes in">
        <p class="text-[12.5px] text-ink-2">Goes in</p>
        <ul class="flex flex-wrap gap-x-7 gap-y-1 mt-1">
          @for (s of sources(); track s.id) {
            <li class="flex items-baseline gap-1.5 min-w-0">
              <span class="w-[9px] h-[9px] bg-ink-2 flex-none self-center rounded-[1px]"></span>
              <b class="font-[600] text-[13.5px] truncate max-w-[240px]" [title]="s.name">{{ s.name }}</b>
              <span class="text-[12px] text-ink-2">{{ s.what }}</span>
            </li>
          }
        </ul>
      </section>
      <div role="list" class="mt-1 @container">
        @for (s of steps(); track s.key; let i = $index) {
          <helk-step-row
            [number]="i + 1"
            [words]="s.title"
            [trade]="s.question"
            [chips]="s.chips"
            [more]="s.more"
            [makes]="s.makes"
            [figures]="s.figures"
            [note]="s.note"
            (moreAsked)="toggle(s.key)"
            (opened)="show($event)"
          >
            <p from class="text-[12.5px] text-ink-2 mt-0.5">from {{ s.from }}</p>
          </helk-step-row>
        }
      </div>
    </div>
    <aside class="border-l border-line bg-paper flex flex-col min-h-0 px-4 py-4" aria-label="How it flows">
      <h3 class="font-[600] mb-2">How it flows</h3>
      <div class="flex-1 min-h-0 overflow-auto">
        <helk-flow [nodes]="flow()" />
        @if (left().length) {
          <p class="text-[12.5px] text-ink-2 mt-3">{{ left().join(' and ') }} came with it and went no further.</p>
        }
      </div>
      @if (together().length) {
        <label class="text-[12.5px] text-ink-2 mt-3">
          Together with
          <select class="w-full mt-1" (change)="and($any($event.target))" data-testid="and-result">
            <option value="">nothing else</option>
            @for (d of together(); track d.id) {
              <option [value]="d.id">{{ d.name }}</option>
            }
          </select>
        </label>
      }
      <button class="btn btn-act w-full mt-3 !min-h-[36px]" [disabled]="busy()" (click)="lift()" data-testid="lift">
        Make a recipe of it
      </button>
      <button class="btn w-full mt-2 !min-h-[34px]" (click)="reports.of(ids())" data-testid="made-report">
        Write a report of it
      </button>
    </aside>
  `,
})
export class MadeView {
  readonly ids = input.required<readonly string[]>();
  protected readonly desk = inject(Desk);
  protected readonly reports = inject(Reports);
  private readonly store = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  protected readonly busy = signal(false);
  private readonly whole = signal<ReadonlySet<string>>(new Set());
  protected readonly history = computed(() =>
    historyIn(this.ids(), this.store.datasetEntityMap(), this.store.runEntityMap()),
  );
  protected readonly names = computed(() =>
    this.ids()
      .map((id) => this.store.datasetEntityMap()[id]?.name ?? 'removed')
      .join(' and '),
  );
  /** Sources; those that go into one step together are one. */
  protected readonly sources = computed(() => {
    const { sources, passages } = this.history();
    const there = this.store.datasetEntityMap();
    const sets = passages.flatMap((p) =>
      Object.values(p.inputs).flatMap((reads) => {
        const ids = [...new Set(reads.filter((r) => r.role === null).map((r) => r.key))];
        return ids.length > 1 ? [ids] : [];
      }),
    );
    const out: { id: string; ids: string[]; name: string; what: string }[] = [];
    for (const s of sources) {
      const set = sets.find((ids) => ids.includes(s.id));
      if (out.some((o) => o.ids.includes(s.id))) continue;
      const d = there[s.id];
      const what = d ? kindOf(d.info).summary(d.info) : 'removed since';
      const items = set?.flatMap((id) => there[id] ?? []) ?? [];
      if (set && items.length === set.length)
        out.push({ id: s.id, ids: set, name: titleOf(items), what: `${set.length} × ${what}` });
      else out.push({ id: s.id, ids: [s.id], name: s.name, what });
    }
    return out;
  });
  /** The source, or the set it is one of, that something is read from. */
  private readonly set = (key: string) => this.sources().find((s) => s.ids.includes(key));
  protected readonly steps = computed(() =>
    this.history().passages.map((p) => {
      const m = this.store.methodMap().get(p.method);
      // A setting that is what the method takes anyway needs no words.
      const step: Step = { id: 'x', method: p.method, inputs: {}, params: p.params as Step['params'] };
      const all = m ? chipsOf(step, m.params, true, true) : [];
      const few = m ? chipsOf(step, m.params, false, true).filter((c) => !c.unset) : [];
      const open = this.whole().has(p.key);
      const d = p.makes.map((x) => (x.dataset ? this.store.datasetEntityMap()[x.dataset] : undefined));
      return {
        key: p.key,
        title: p.title,
        question: m?.question ?? p.method,
        chips: open ? all : few,
        more: all.length > few.length ? (open ? -1 : all.length - few.length) : null,
        makes: p.makes.map((x) => ({ ...x, kept: x.dataset !== null && this.ids().includes(x.dataset) })),
        figures: this.figures(p, m),
        note: d.find((x) => x?.note)?.note ?? '',
        from: [
          ...new Set(
            Object.values(p.inputs)
              .flat()
              .map((r) => (this.set(r.key)?.name ?? r.name) + (r.band === null ? '' : `, band ${r.band + 1}`)),
          ),
        ].join(', '),
      };
    }),
  );
  protected readonly flow = computed((): FlowNode[] => [
    ...this.sources().map((s): FlowNode => ({ id: s.id, label: s.name, kind: 'input', kept: false, from: [] })),
    ...this.history().passages.map((p): FlowNode => ({
      id: p.key,
      label: p.makes.map((x) => x.name).join(', ') || p.title,
      kind: 'step',
      kept: p.makes.some((x) => x.dataset !== null && this.ids().includes(x.dataset)),
      from: Object.values(p.inputs)
        .flat()
        .map((r) => this.set(r.key)?.id ?? r.key),
    })),
  ]);
  /** What the steps made beside what was read on. */
  protected readonly left = computed(() =>
    this.history().passages.flatMap((p) =>
      Object.entries(p.run.made)
        .filter(([, x]) => (x.step ?? null) === p.step && !p.makes.some((y) => y.role === x.role))
        .map(([, x]) => x.name),
    ),
  );
  /** Other results that could be lifted with it: those that were made of the same. */
  protected readonly together = computed(() => {
    const sources = new Set(this.history().sources.map((s) => s.id));
    const own = new Set(this.ids());
    const inIt = new Set(this.history().passages.flatMap((p) => p.makes.map((x) => x.dataset)));
    return this.store.datasetEntities().filter((d) => {
      if (own.has(d.id) || inIt.has(d.id) || d.source || !d.runId) return false;
      const h = historyIn([d.id], this.store.datasetEntityMap(), this.store.runEntityMap());
      return h.passages.length > 0 && h.sources.some((s) => sources.has(s.id));
    });
  });

  private figures(p: Passage, m: MethodDescription | undefined): string[] {
    return Object.entries(p.figures)
      .slice(0, FIGURES)
      .map(([name, v]) => {
        const spec = m?.figures[name];
        const unit = p.units[name] ?? figureUnit(spec?.unit, p.params);
        return `${spec?.label ?? name} ${figureWords(v, unit) || displayUnit(unit)}`;
      });
  }

  protected toggle(key: string): void {
    const next = new Set(this.whole());
    if (!next.delete(key)) next.add(key);
    this.whole.set(next);
  }

  protected show(id: string): void {
    this.desk.clear();
    this.bench.showBeside(id);
  }

  protected and(field: HTMLSelectElement): void {
    if (field.value) this.desk.lay({ what: 'made', ids: [...this.ids(), field.value] });
  }

  protected async lift(): Promise<void> {
    this.busy.set(true);
    await this.desk.lift(this.ids(), this.names());
    this.busy.set(false);
  }
}
