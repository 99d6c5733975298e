import { Said } from '../parts/said';
import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  input,
  viewChild,
} from '@angular/core';
import { formatDuration } from '@helk/core';
import type { ApiRun } from '@helk/core/api/schemas';
import { CopyMenu } from '../parts/copy-menu';
import { Thumbnail } from '../parts/thumbnail';
import { BenchStore } from '../state/bench.store';
import { Copier } from '../state/copies';
import { figuresOf } from '../state/figures';
import { Desk } from '../state/desk';
import { Judge } from '../state/judge';
import { ProjectStore, summaryOf, type DatasetItem } from '../state/project.store';
import { WORKS } from '../work/works';

/** A run under way or ended: progress and cancel, or figures, notes, results and what can follow. */
@Component({
  selector: 'helk-run-result',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CopyMenu, Said, Thumbnail],
  template: `
    <div
      #whole
      class="px-4 pb-4 grid grid-cols-[minmax(0,1fr)] gap-3 content-start outline-none"
      tabindex="-1"
      role="region"
      [attr.aria-label]="'Run: ' + run().title"
      data-testid="run-result"
      [attr.data-state]="run().state"
    >
      @switch (run().state) {
        @case ('queued') {
          <p class="text-ink-2">Waiting for a free worker.</p>
          <button class="btn w-fit" (click)="store.cancelRun(run().id)">Cancel</button>
        }
        @case ('running') {
          <div>
            <div
              class="h-1.5 rounded bg-line-soft overflow-hidden"
              role="progressbar"
              [attr.aria-valuenow]="(run().progress * 100).toFixed(0)"
              aria-valuemin="0"
              aria-valuemax="100"
            >
              <div class="h-full bg-act" [style.width.%]="run().progress * 100"></div>
            </div>
            <p class="num text-ink-2 mt-1.5">{{ percent() }} · {{ run().stage }}{{ left() }}</p>
          </div>
          <button class="btn w-fit" (click)="store.cancelRun(run().id)" data-testid="cancel">Cancel</button>
        }
        @case ('done') {
          @if (figures().length) {
            <dl class="grid grid-cols-[1fr_auto] gap-x-3 gap-y-0.5 text-[13px]" data-testid="figures">
              @for (f of major(); track f.name) {
                <dt class="text-ink-2">{{ f.label }}</dt>
                <dd class="num text-right" [attr.data-figure]="f.name">{{ f.text }}</dd>
              }
            </dl>
          }
          @for (n of run().notes; track n.message) {
            <div class="check" [class]="n.level === 'info' ? 'check-fine' : 'check-' + n.level">
              <helk-said [text]="n.message" />
            </div>
          }
          <div>
            <div class="text-[12px] text-ink-2 mb-1">Made in {{ took() }}</div>
            @for (d of results(); track d.id) {
              <button
                class="flex w-full items-center gap-2 py-1 text-left hover:bg-act-soft rounded px-1"
                (click)="open(d)"
              >
                <helk-thumbnail [item]="d" />
                <span class="min-w-0"
                  ><span class="block truncate font-[550] text-[13px]">{{ d.name }}</span
                  ><span class="block text-[12px] text-ink-2">{{ summary(d) }}</span></span
                >
              </button>
            }
          </div>
        }
        @default {
          <div class="check check-refused" role="alert" data-testid="run-problem">
            <helk-said [text]="run().problem?.message ?? 'The run did not end well.'" />
          </div>
        }
      }
      @if (ended()) {
        <div class="flex flex-wrap gap-2">
          @for (w of works(); track w.record.id) {
            <button class="btn btn-act" (click)="bench.openWork(w.record.id, w.item.id)" data-testid="go-on">
              {{ w.record.question }}
            </button>
          }
          @if (judged(); as d) {
            <button class="btn btn-act" (click)="judge.hold(d)" data-testid="judge">
              Hold against the other {{ judge.siblings(d).length - 1 }}
            </button>
          }
          @for (w of whatIfs(); track w.name) {
            <button class="btn" (click)="again(w.name)" [attr.data-testid]="'what-if-' + w.name">
              {{ w.question }}
            </button>
          }
          <button class="btn" (click)="again()" data-testid="vary">
            {{ run().state === 'done' ? 'Vary' : 'Change and run again' }}
          </button>
          @if (run().state === 'done' && results().length) {
            <button class="btn" (click)="made()" data-testid="how-made">How this was made</button>
          }
          <helk-copy-menu [of]="copies()" />
        </div>
        @if (minor().length) {
          <details class="text-[12.5px]">
            <summary class="text-ink-2 cursor-pointer">Figures of the steps on the way</summary>
            <dl class="grid grid-cols-[1fr_auto] gap-x-3 mt-1">
              @for (f of minor(); track f.name) {
                <dt class="text-ink-2">{{ f.label }}</dt>
                <dd class="num text-right">{{ f.text }}</dd>
              }
            </dl>
          </details>
        }
        <details class="text-[12.5px]">
          <summary class="text-ink-2 cursor-pointer">Settings it ran with</summary>
          <dl class="grid grid-cols-[auto_1fr] gap-x-3 mt-1">
            @for (s of settings(); track s.name) {
              <dt class="text-ink-2">{{ s.name }}</dt>
              <dd class="num">{{ s.value }}</dd>
            }
          </dl>
        </details>
      }
    </div>
  `,
})
export class RunResult {
  readonly run = input.required<ApiRun>();
  protected readonly store = inject(ProjectStore);
  protected readonly bench = inject(BenchStore);
  private readonly copier = inject(Copier);
  private readonly desk = inject(Desk);
  protected readonly summary = summaryOf;
  protected readonly ended = computed(() => !['queued', 'running'].includes(this.run().state));
  protected readonly percent = computed(() => `${Math.round(this.run().progress * 100)} %`);
  protected readonly left = computed(() => {
    const r = this.run();
    if (!r.startedAt || r.progress < 0.05) return '';
    const spent = (Date.now() - Date.parse(r.startedAt)) / 1000;
    return ` · ${formatDuration((spent * (1 - r.progress)) / r.progress)} left`;
  });
  protected readonly took = computed(() => {
    const r = this.run();
    return r.startedAt && r.endedAt ? formatDuration((Date.parse(r.endedAt) - Date.parse(r.startedAt)) / 1000) : '';
  });
  protected readonly results = computed(() =>
    this.run()
      .outputs.map((id) => this.store.datasetEntityMap()[id])
      .filter((d): d is DatasetItem => d !== undefined),
  );
  /** Works that begin with a result. */
  protected readonly works = computed(() =>
    this.results().flatMap((item) =>
      WORKS.filter((w) => w.after && w.after === item.role && w.fits(item)).map((record) => ({ record, item })),
    ),
  );
  /** Settings that ask something of what there is, answered by a variant. */
  protected readonly whatIfs = computed(() =>
    this.run().state === 'done'
      ? Object.entries(this.store.methodMap().get(this.run().method)?.params ?? {}).flatMap(([name, p]) =>
          p.whatIf ? [{ name, question: p.whatIf }] : [],
        )
      : [],
  );
  protected readonly judge = inject(Judge);
  /** An estimate that has others beside it. */
  protected readonly judged = computed(() => this.results().find((d) => this.judge.siblings(d).length > 1));
  protected readonly figures = computed(() => figuresOf(this.run(), this.store));
  protected readonly major = computed(() => this.figures().filter((f) => !f.minor));
  protected readonly minor = computed(() => this.figures().filter((f) => f.minor));
  protected readonly settings = computed(() => [
    ...Object.entries(this.run().params).map(([name, v]) => ({ name, value: String(v) })),
    { name: 'version', value: String(this.run().version) },
    { name: 'seed', value: String(this.run().seed) },
  ]);

  private readonly whole = viewChild.required<ElementRef<HTMLElement>>('whole');

  constructor() {
    // The form that had the keyboard is gone: what came in its place has it, unless somebody went on elsewhere meanwhile.
    effect(() => {
      // With each state another part of it has come.
      if (!this.run().state) return;
      const whole = this.whole().nativeElement;
      const at = document.activeElement;
      if (at === null || at === document.body || whole.contains(at)) whole.focus({ preventScroll: true });
    });
  }

  protected readonly copies = computed(() => this.copier.run(this.run()));

  protected made(): void {
    this.desk.lay({ what: 'made', ids: this.results().map((d) => d.id) });
  }

  protected open(d: DatasetItem): void {
    this.bench.showBeside(d.id);
  }

  /** @param begin a setting that is drawn at once */
  protected again(begin: string | null = null): void {
    const r = this.run();
    this.bench.openSheet(r.method, r.inputs, r.params, r.state === 'done' ? r.id : null);
    if (begin) this.bench.fillSheet({ begin });
  }
}
