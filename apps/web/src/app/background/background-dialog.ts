import { DialogRef } from '@angular/cdk/dialog';
import { ChangeDetectionStrategy, Component, DestroyRef, inject, signal } from '@angular/core';
import type { Background } from '@helk/core/render/background';
import { Api, sentence } from '../api/api';
import { Backgrounds } from '../state/backgrounds';

const WAYS: Record<Background['service'], string> = {
  xyz: 'tiles by level, column and row',
  tiles: 'OGC API - Tiles',
  wms: 'Web Map Service',
};

/** Asks a service by its address for pictures of the ground, and keeps one with the project. */
@Component({
  selector: 'helk-background-dialog',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div
      class="popover w-[500px] max-w-[94vw] max-h-[88vh] overflow-auto p-5 grid grid-cols-1 gap-3 text-[13px]"
      data-testid="background-dialog"
    >
      <h2 class="voice italic text-[22px] leading-tight">Which service has a picture of the ground?</h2>
      <label for="background-address">Address</label>
      <span class="flex gap-2 -mt-2"
        ><input
          id="background-address"
          class="num flex-1 min-w-0"
          #field
          [value]="address()"
          (input)="typed(field.value)"
          (keydown.enter)="ask()"
          placeholder="https://host/{{ '{' }}z{{ '}' }}/{{ '{' }}x{{ '}' }}/{{ '{' }}y{{ '}' }}.png"
          autocomplete="off"
          spellcheck="false"
          data-testid="background-address"
        /><button class="btn" [disabled]="!address().trim() || asking()" (click)="ask()" data-testid="background-ask">
          {{ asking() ? 'Asking…' : 'Ask it' }}
        </button></span
      >
      <p class="text-[12px] text-ink-2 -mt-1">
        Tiles by {{ '{' }}z{{ '}' }}, {{ '{' }}x{{ '}' }}, {{ '{' }}y{{ '}' }}; the first page of OGC API - Tiles; or a
        Web Map Service. Helk asks it for the tiles that you look at, and nobody else.
      </p>
      @if (offer(); as o) {
        @if (address() !== o.address) {
          <p>
            <button class="link" (click)="take(o.address)" data-testid="background-offer">
              {{ o.title }}
            </button>
            <span class="text-ink-2"> ships with Helk and has a map of the island.</span>
          </p>
        }
      }
      @if (problem(); as p) {
        <p class="check check-refused" role="alert" data-testid="background-problem">{{ p }}</p>
      }
      @if (found(); as all) {
        <fieldset class="grid grid-cols-1 gap-1 max-h-[240px] overflow-auto">
          <legend class="text-[12px] text-ink-2 mb-1">{{ all.length === 1 ? 'It has' : 'It has, choose one' }}</legend>
          @for (b of all; track $index) {
            <label class="flex gap-2 items-start py-0.5">
              <input type="radio" name="background" [checked]="at() === $index" (change)="choose($index)" />
              <span class="min-w-0"
                ><span class="block">{{ b.name }}</span
                ><span class="block text-[12px] text-ink-2"
                  >{{ ways[b.service] }}, {{ b.crs.code ?? b.crs.name }}, {{ b.levels.length }} scales</span
                ></span
              >
            </label>
          }
        </fieldset>
        <label class="grid grid-cols-[90px_1fr] items-center gap-3"
          >Call it<input
            [value]="name()"
            maxlength="200"
            (input)="name.set(text($event))"
            data-testid="background-name"
        /></label>
        <label class="grid grid-cols-[90px_1fr] items-center gap-3"
          >Made by<input
            [value]="credit()"
            maxlength="500"
            (input)="credit.set(text($event))"
            placeholder="stands beside the map and in its pictures"
        /></label>
      }
      <div class="flex items-center gap-3">
        <button
          class="btn btn-act"
          [disabled]="!found() || !name().trim() || keeping()"
          (click)="keep()"
          data-testid="background-keep"
        >
          Lay it under the data
        </button>
        <button class="link" (click)="ref.close()">Leave it</button>
      </div>
    </div>
  `,
})
export class BackgroundDialog {
  protected readonly ref = inject(DialogRef);
  private readonly api = inject(Api);
  private readonly backgrounds = inject(Backgrounds);
  protected readonly ways = WAYS;
  protected readonly address = signal('');
  protected readonly asking = signal(false);
  protected readonly keeping = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected readonly found = signal<Background[] | null>(null);
  protected readonly at = signal(0);
  protected readonly name = signal('');
  protected readonly credit = signal('');
  protected readonly offer = signal<{ title: string; address: string } | null>(null);
  private asked: AbortController | null = null;
  protected readonly text = (e: Event): string => (e.target as HTMLInputElement).value;

  constructor() {
    this.api.services().then(
      (all) => this.offer.set(all[0] ?? null),
      () => undefined,
    );
    inject(DestroyRef).onDestroy(() => this.asked?.abort());
  }

  protected typed(address: string): void {
    this.asked?.abort();
    this.address.set(address);
    this.found.set(null);
    this.problem.set(null);
    this.asking.set(false);
  }

  protected take(address: string): void {
    this.typed(address);
    void this.ask();
  }

  protected async ask(): Promise<void> {
    if (!this.address().trim()) return;
    const asked = (this.asked = new AbortController());
    this.problem.set(null);
    this.found.set(null);
    this.asking.set(true);
    try {
      const all = await this.backgrounds.open(this.address(), asked.signal);
      if (asked !== this.asked) return;
      this.found.set(all);
      this.choose(0);
    } catch (e) {
      if (asked === this.asked && !asked.signal.aborted) this.problem.set(sentence(e));
    } finally {
      if (asked === this.asked) this.asking.set(false);
    }
  }

  protected choose(k: number): void {
    const b = this.found()?.[k];
    if (!b) return;
    this.at.set(k);
    this.name.set(b.name);
    this.credit.set(b.credit);
  }

  protected async keep(): Promise<void> {
    const b = this.found()?.[this.at()];
    if (!b) return;
    this.keeping.set(true);
    const kept = await this.backgrounds.keep({ ...b, name: this.name().trim(), credit: this.credit().trim() });
    this.keeping.set(false);
    if (kept) this.ref.close();
  }
}
