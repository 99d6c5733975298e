import { Clipboard } from '@angular/cdk/clipboard';
import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { dataOf } from '@helk/core';
import { FeatureData } from '../state/feature-data';
import { Looks } from '../state/looks';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { LEVELS } from './levels';
import { comparedModels, modelText, oneModel, wordFor, type TableForm } from './model-table-text';

const FORMS: { id: TableForm; label: string }[] = [
  { id: 'text', label: 'text' },
  { id: 'csv', label: 'CSV' },
  { id: 'html', label: 'HTML' },
  { id: 'latex', label: 'LaTeX' },
];

/** Models as people print them: coefficients over standard errors, models across, fit and tests below; copied for another document. */
@Component({
  selector: 'helk-model-table',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'flex flex-col flex-1 min-w-0 min-h-0', 'data-testid': 'model-table' },
  template: `
    @if (model(); as m) {
      <div class="flex items-baseline gap-3 px-3.5 pt-1.5 text-[12px] flex-none">
        @if (advice(); as a) {
          <span class="flex-1 min-w-0 truncate" data-testid="advice" [title]="a.reason"
            ><span class="font-[600] mr-1.5">{{ a.model }}</span> <span class="text-ink-2">{{ a.reason }}</span></span
          >
        } @else {
          <span class="flex-1 text-ink-2">Standard errors in brackets.</span>
        }
        <label class="flex items-center gap-1 flex-none"
          ><input type="checkbox" [checked]="stars()" (change)="stars.set($any($event.target).checked)" />stars</label
        >
        <span class="text-ink-2 flex-none">copy as</span>
        @for (f of forms; track f.id) {
          <button class="link flex-none" (click)="copy(f.id)" [attr.data-testid]="'copy-' + f.id">{{ f.label }}</button>
        }
      </div>
      <div class="flex-1 min-h-0 overflow-auto px-3.5 pb-2 flex flex-wrap gap-x-8 gap-y-2 items-start">
        <table class="matrix text-[12.5px] border-collapse flex-none">
          <thead>
            <tr class="border-y border-line">
              <th></th>
              @for (name of m.models; track name) {
                <th class="px-3 py-1 text-right font-[600]">{{ name }}</th>
              }
            </tr>
          </thead>
          <tbody>
            @for (t of m.terms; track t.name) {
              <tr>
                <th class="text-left font-[450] pr-4 pt-1 align-top whitespace-nowrap">{{ word(t.name) }}</th>
                @for (c of t.cells; track $index) {
                  <td class="num text-right px-3 pt-1">
                    @if (c) {
                      <span class="whitespace-nowrap"
                        >{{ shown(c.text)
                        }}<sup class="inline-block w-[18px] text-left">{{ stars() ? c.stars : '' }}</sup></span
                      >
                      <span class="block text-ink-2 text-[11.5px] pr-[18px]">{{ c.under }}</span>
                    }
                  </td>
                }
              </tr>
            }
          </tbody>
        </table>
        <table class="matrix text-[12.5px] border-collapse flex-none">
          <thead>
            <tr class="border-y border-line">
              <th class="text-left font-[600] py-1">fit and tests</th>
              @for (name of m.models; track name) {
                <th class="px-3 text-right font-[600]">{{ m.models.length > 1 ? name : '' }}</th>
              }
            </tr>
          </thead>
          <tbody>
            @for (f of m.figures; track f.name) {
              <tr>
                <th class="text-left font-[450] pr-4 whitespace-nowrap">{{ word(f.name) }}</th>
                @for (c of f.cells; track $index) {
                  <td class="num text-right px-3 whitespace-nowrap">{{ shown(c) }}</td>
                }
              </tr>
            }
          </tbody>
        </table>
      </div>
      @if (stars()) {
        <p class="px-3.5 pb-1 text-[11.5px] text-ink-2 flex-none">{{ levels }}</p>
      }
    } @else {
      <p class="p-4 text-ink-2">Reading …</p>
    }
  `,
})
export class ModelTable {
  readonly item = input.required<DatasetItem>();
  private readonly data = inject(FeatureData);
  private readonly looks = inject(Looks);
  private readonly project = inject(ProjectStore);
  private readonly clipboard = inject(Clipboard);
  protected readonly forms = FORMS;
  protected readonly levels = LEVELS;
  protected readonly word = wordFor;
  /** On the screen a minus is one; copied it stays what every program reads. */
  protected readonly shown = (s: string): string => s.replaceAll('-', '−');
  protected readonly stars = signal(true);

  private readonly run = computed(() => this.project.madeBy(this.item()));
  private readonly tests = computed(() => {
    const of = this.looks.shows(this.item())?.panel?.of;
    const d = of
      ? this.project.datasetEntities().find((x) => x.runId === this.item().runId && x.role === of)
      : undefined;
    return d ? dataOf('table', this.data.now(d.id)) : null;
  });
  protected readonly model = computed(() => {
    const [t, run] = [dataOf('table', this.data.now(this.item().id)), this.run()];
    if (!t || !run) return null;
    return t.columns.some((c) => c.name === 'term')
      ? comparedModels(t)
      : oneModel(String(run.params['model'] ?? 'ols'), t, run.figures, this.tests());
  });
  protected readonly advice = computed(() => {
    const f = this.run()?.figures ?? {};
    const words: Record<string, string> = {
      ols: 'Least squares will do.',
      lag: 'A spatial lag is advised.',
      error: 'A spatial error is advised.',
    };
    return typeof f['advised'] === 'string'
      ? { model: words[f['advised']] ?? f['advised'], reason: String(f['reason'] ?? '') }
      : null;
  });

  protected copy(form: TableForm): void {
    const m = this.model();
    const p = this.run()?.params ?? {};
    if (!m) return;
    this.clipboard.copy(modelText(m, form, this.stars(), `${String(p['dependent'])} by ${String(p['predictors'])}`));
    this.project.notify('Copied.');
  }
}
