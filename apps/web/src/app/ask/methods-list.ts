import * as z from 'zod';
import { remember, remembered } from '../parts/remembered';
import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { ask } from '@helk/core/method/ask';
import { misfit, type MethodDescription } from '@helk/core';
import { ICONS } from '../parts/icons';
import { BenchStore } from '../state/bench.store';
import { ProjectStore } from '../state/project.store';

interface Family {
  id: string;
  name: string;
  /** Those that fit what is chosen stand first. */
  fitting: readonly MethodDescription[];
  others: readonly MethodDescription[];
  open: boolean;
}

const OPEN = 'helk.families';

/** All methods by family, each with the question it answers; families fold, and those with what fits the chosen dataset come first. */
@Component({
  selector: 'helk-methods-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgIcon],
  viewProviders: [provideIcons(ICONS)],
  template: `
    <header class="flex items-baseline justify-between px-4 pt-3 pb-1.5">
      <h2 class="font-[600]">Methods</h2>
      <span class="num text-[12px] text-ink-2">{{ store.methods().length }}</span>
    </header>
    <div class="px-3 pb-1 relative">
      <ng-icon name="lucideSearch" size="14" class="absolute left-5 top-[8px] text-ink-3" />
      <input
        class="w-full !pl-7 text-[13px]"
        type="search"
        placeholder="Find a method"
        aria-label="Find a method"
        data-testid="find-method"
        autocomplete="off"
        [value]="text()"
        (input)="text.set($any($event.target).value)"
        (keydown.escape)="text.set('')"
      />
    </div>
    @if (bench.selectedItem(); as d) {
      <p class="px-4 pb-1 text-[12px] text-ink-2 truncate" [title]="d.name">What fits {{ d.name }} comes first.</p>
    }
    @for (f of families(); track f.id) {
      <section>
        <h3 class="pl-1 pr-4">
          <button
            class="flex items-center gap-0.5 w-full min-h-[32px] text-left"
            [attr.aria-expanded]="f.open"
            (click)="toggle(f)"
            [attr.data-testid]="'family-' + f.id"
          >
            <ng-icon
              [name]="f.open ? 'lucideChevronDown' : 'lucideChevronRight'"
              size="13"
              class="text-ink-3 flex-none"
            />
            <span class="voice text-[15px] text-ink-2 flex-1">{{ f.name }}</span>
            <span class="num text-[11px] text-ink-2"
              >{{ f.fitting.length }}{{ f.others.length ? ' of ' + (f.fitting.length + f.others.length) : '' }}</span
            >
          </button>
        </h3>
        @if (f.open) {
          @for (m of f.fitting; track m.id) {
            <button
              class="block w-full text-left px-4 pl-[22px] py-1.5 hover:bg-act-soft"
              (click)="bench.openSheet(m.id)"
              [title]="m.about"
            >
              <span class="block text-[13px] font-[550]">{{ m.title }}</span>
              <span class="block text-[12px] text-ink-2 leading-snug">{{ m.question }}</span>
            </button>
          }
          @if (f.others.length) {
            @if (f.fitting.length) {
              <p class="pl-[22px] pr-4 pt-1 text-[12px] text-ink-2">do not fit what is chosen:</p>
            }
            @for (m of f.others; track m.id) {
              <button
                class="block w-full text-left px-4 pl-[22px] py-1 hover:bg-act-soft text-[13px] text-ink-2"
                (click)="bench.openSheet(m.id)"
                [title]="
                  m.question +
                  '

' +
                  m.about
                "
              >
                {{ m.title }}
              </button>
            }
          }
        }
      </section>
    } @empty {
      <p class="px-4 py-3 text-ink-2">No method answers to “{{ text() }}”.</p>
    }
  `,
})
export class MethodsList {
  protected readonly bench = inject(BenchStore);
  protected readonly store = inject(ProjectStore);
  protected readonly text = signal('');
  /** Families that somebody opened or folded, against what they would be. */
  private readonly turned = signal<Readonly<Record<string, boolean>>>(
    remembered(OPEN, z.record(z.string(), z.boolean()), {}),
  );

  protected readonly families = computed((): Family[] => {
    const item = this.bench.selectedItem();
    const text = this.text().trim();
    const found = text ? ask(text, this.store.methods(), []).map((a) => a.method) : this.store.methods();
    const fits = (m: MethodDescription): boolean =>
      !item || Object.values(m.inputs).some((s) => misfit(s, item.info) === null);
    const turned = this.turned();
    return [...new Set(found.map((m) => m.family))]
      .map((id) => {
        const all = found.filter((m) => m.family === id);
        const fitting = all.filter(fits);
        return {
          id,
          name: all[0]!.familyTitle,
          fitting,
          others: all.filter((m) => !fitting.includes(m)),
          // What is looked for is seen.
          open: text !== '' || (turned[id] ?? (item ? fitting.length > 0 : true)),
        };
      })
      .sort((a, b) =>
        // What the project has of its own is seen first, then what fits.
        text
          ? 0
          : Number(b.id === 'recipe') - Number(a.id === 'recipe') ||
            Number(b.fitting.length > 0) - Number(a.fitting.length > 0),
      );
  });

  protected toggle(f: Family): void {
    const turned = { ...this.turned(), [f.id]: !f.open };
    this.turned.set(turned);
    remember(OPEN, turned);
  }
}
