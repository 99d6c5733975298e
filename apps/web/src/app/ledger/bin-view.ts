import { DialogRef } from '@angular/cdk/dialog';
import { ChangeDetectionStrategy, Component, computed, effect, inject, signal, untracked } from '@angular/core';
import { formatBytes } from '@helk/core';
import type { ApiBinned } from '@helk/core/api/schemas';
import { Api } from '../api/api';
import { MidName } from '../parts/mid-name';
import { ProjectStore } from '../state/project.store';

/** What was removed: brought back one by one or together, or let go for good. */
@Component({
  selector: 'helk-bin',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MidName],
  template: `
    <div class="popover w-[560px] max-w-[94vw] max-h-[80vh] flex flex-col text-[13px]" data-testid="bin">
      <header class="flex items-baseline gap-3 px-5 pt-4 pb-2">
        <h2 class="text-[17px] font-[600]">Bin</h2>
        <span class="text-ink-2">{{ words() }}</span>
      </header>
      <ul class="flex-1 min-h-0 overflow-auto px-5">
        @for (b of all(); track b.id) {
          <li class="flex items-center gap-3 min-h-[40px] border-t border-line-soft py-1">
            <span class="min-w-0 flex-1">
              <helk-name class="font-[550]" [text]="b.name" />
              <span class="block text-[12px] text-ink-2 truncate"
                >{{ b.words || b.what }}{{ b.removedAt ? ' · removed ' + when(b.removedAt) : '' }}</span
              >
            </span>
            <span class="num text-ink-2 flex-none">{{ size(b) }}</span>
            <button class="link flex-none" (click)="back([b.id])" [attr.aria-label]="'Bring back ' + b.name">
              Bring back
            </button>
            <button
              class="link !text-no flex-none"
              (click)="go([b.id])"
              [attr.aria-label]="'Let ' + b.name + ' go for good'"
            >
              Let go
            </button>
          </li>
        } @empty {
          <li class="py-4 text-ink-2">
            {{ asked() ? 'Nothing was removed, or all of it has been let go.' : 'Looking …' }}
          </li>
        }
      </ul>
      <footer class="flex items-center gap-2 px-5 py-3 border-t border-line-soft">
        @if (all().length) {
          @if (sure()) {
            <span class="flex-1">{{ all().length === 1 ? 'It is' : 'They are' }} gone for good then.</span>
            <button class="btn !text-no" (click)="go(null)" data-testid="empty-bin-now">
              Let {{ all().length }} go
            </button>
            <button class="btn" (click)="sure.set(false)">Keep</button>
          } @else {
            <button class="btn !text-no" (click)="sure.set(true)" data-testid="empty-bin">Empty the bin</button>
            <button class="btn" (click)="back(ids())">Bring all back</button>
            <span class="flex-1"></span>
          }
        } @else {
          <span class="flex-1"></span>
        }
        <button class="btn" (click)="ref.close()">Close</button>
      </footer>
    </div>
  `,
})
export class BinView {
  protected readonly ref = inject(DialogRef);
  private readonly api = inject(Api);
  private readonly store = inject(ProjectStore);
  protected readonly all = signal<ApiBinned[]>([]);
  protected readonly asked = signal(false);
  protected readonly sure = signal(false);
  protected readonly ids = computed(() => this.all().map((b) => b.id));
  protected readonly words = computed(() => {
    const n = this.all().length;
    const bytes = this.all().reduce((s, b) => s + b.bytes, 0);
    return n ? `${n} ${n === 1 ? 'thing' : 'things'}, ${formatBytes(bytes)}; kept until you let it go` : '';
  });

  constructor() {
    // Asked again when something goes or comes, here or in another tab.
    effect(() => {
      const p = this.store.project();
      if (!p) return;
      void this.store.guarded(async () => {
        const all = await this.api.bin(p.id);
        untracked(() => {
          this.all.set(all);
          this.asked.set(true);
        });
      });
    });
  }

  protected size = (b: ApiBinned): string => formatBytes(b.bytes);

  protected when(iso: string): string {
    const d = new Date(iso);
    const day = d.toLocaleDateString('en-CA');
    const time = d.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' });
    return day === new Date().toLocaleDateString('en-CA') ? `today ${time}` : `${day} ${time}`;
  }

  protected back(ids: readonly string[]): void {
    const p = this.store.project();
    if (p) void this.store.guarded(() => this.api.bringBack(p.id, ids));
  }

  protected go(ids: readonly string[] | null): void {
    const p = this.store.project();
    this.sure.set(false);
    if (p) void this.store.guarded(() => this.api.emptyBin(p.id, ids));
  }
}
